import { readFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { dirname, join } from 'node:path'
import { argumentsIn, KeywordPicker } from '../../src/models/keyword-picker.js'
import type { ToolDefinition } from '../../src/protocol/types.js'
import { renderHtml } from '../../src/rehearse/page.js'
import { checkTools, parseQuestions } from '../../src/rehearse/questions.js'
import { rehearse, standInWarning } from '../../src/rehearse/rehearse.js'
import { sharedBrowser } from '../support/browser.js'
import { apiary, jexo, newFolder, written } from '../support/cli.js'

const questionsFile = join(dirname(apiary), 'apiary.questions.yaml')
const tool = (name: string, description: string, properties: Record<string, unknown> = {}): ToolDefinition => ({
  name,
  description,
  inputSchema: { type: 'object', properties } as ToolDefinition['inputSchema'],
})
const hive = { type: 'string', pattern: '^ML-\\d\\d$', description: 'Hive code' }
const weigh = tool('weigh_hive', 'Latest reading of the scale under one hive, in kilograms.', { hive })
const move = tool('move_hive', 'Carries a hive to another site.', {
  hive,
  site: { enum: ['Marsh Lane', 'Quarry Field'] },
})
const feed = tool('winter_feed', 'How much sugar to feed before winter.', {
  storesKg: { type: 'number' },
  until: { type: 'string', format: 'date' },
  frames: { type: 'integer' },
})

describe('the stand-in model', () => {
  const picker = new KeywordPicker([weigh, move, feed])

  test.each([
    ['What does the scale under ML-04 read?', 'weigh_hive'],
    ['Carry ML-04 to Quarry Field', 'move_hive'],
    ['how much SUGAR for the winter', 'winter_feed'],
    ['Book a train to the coast', 'none'],
    ['', 'none'],
  ])('picks by words: %s', (question, expected) => {
    const choice = picker.pick(question)
    expect(choice.tool).toBe(expected)
    expect(picker.pick(question)).toStrictEqual(choice)
    if (expected !== 'none') expect(choice.margin).toBeGreaterThan(0)
  })

  test('ranks a vague description below its improved version', () => {
    const question = 'How much sugar do I have to feed before the winter?'
    const scoreWith = (about: string, name = 'winter_feed') => {
      const { ranking } = new KeywordPicker([weigh, move, tool(name, about)]).pick(question)
      return ranking.find((ranked) => ranked.tool === name)?.score ?? 0
    }
    const vague = scoreWith('Runs the calculation.', 'calculate')
    expect(vague).toBeLessThan(scoreWith('How much sugar to feed before winter.', 'calculate'))
    expect(scoreWith('How much sugar to feed before winter.', 'calculate')).toBeLessThan(
      scoreWith('How much sugar to feed before winter.'),
    )
    expect(new KeywordPicker([weigh, move, tool('calculate', 'Runs the calculation.')]).pick(question).tool).toBe(
      'none',
    )
  })

  test('reads arguments by rules: choices, patterns, dates, numbers in order', () => {
    expect(argumentsIn('Move ML-04 to quarry field, please.', move)).toStrictEqual({
      hive: 'ML-04',
      site: 'Quarry Field',
    })
    expect(argumentsIn('Feed with 9,5 kg until 2026-10-01 for 8 frames', feed)).toStrictEqual({
      storesKg: 9.5,
      until: '2026-10-01',
      frames: 8,
    })
    expect(argumentsIn('Nothing at all', move)).toStrictEqual({})
  })
})

test('a report names confused tools, and words that would fix the choice', async () => {
  const report = await rehearse(
    [weigh, move],
    [
      { ask: 'How heavy is the box at ML-04?', tool: 'weigh_hive', with: { hive: 'ML-05' } },
      { ask: 'Carry the scale to another place', tool: 'weigh_hive' },
      { ask: 'What does the scale read under ML-04?', tool: 'weigh_hive', with: { hive: 'ML-05' } },
    ],
  )
  expect(report).toMatchObject({ right: 1, by: 'the stand-in' })
  expect(report.confusions).toStrictEqual(
    expect.arrayContaining([
      expect.objectContaining({
        expected: 'weigh_hive',
        picked: 'move_hive',
        add: expect.arrayContaining(['carry', 'place']),
        stolenBy: expect.arrayContaining(['carry']),
      }),
    ]),
  )
  expect(report.questions[2]?.misread).toStrictEqual(['arguments.hive: expected "ML-05", got "ML-04"'])
  expect(report.matrix.names.at(-1)).toBe('none')
})

test.each([
  ['questions: [', /line 1, column 13/],
  ['version: 1\nquestions: []', /it has no "version: 1" and a list "questions"/],
  ['version: 1\nquestions: [{ ask: x, tool: y }, { ask: x }]', /question 2 is not \{ask, tool, with\?\}/],
])('an invalid file of questions is reported with its place: %j', (text, said) => {
  expect(() => parseQuestions('x.questions.yaml', text)).toThrow(said)
})

describe('a chat endpoint', () => {
  const asked: { headers: Record<string, unknown>; body: Record<string, unknown> }[] = []
  const answers = [
    {
      choices: [{ message: { tool_calls: [{ function: { name: 'weigh_hive', arguments: '{"hive":"ML-04"}' } }] } }],
    },
    { choices: [{ message: { content: 'I cannot.' } }] },
    { choices: [{ message: { tool_calls: [{ function: { name: 'move_hive', arguments: '{broken' } }] } }] },
    { what: 'ever' },
  ]
  const server = createServer((request, response) => {
    let text = ''
    request.on('data', (chunk) => {
      text += chunk
    })
    request.on('end', () => {
      asked.push({ headers: request.headers, body: JSON.parse(text) })
      response.end(JSON.stringify(answers[asked.length - 1]))
    })
  })
  let url = ''
  beforeAll(async () => {
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    url = `http://127.0.0.1:${(server.address() as { port: number }).port}/chat/completions`
  })
  afterAll(() => server.close())

  test('receives functions in its format, and its replies are judged the same way', async () => {
    const questions = [
      { ask: 'How heavy is ML-04?', tool: 'weigh_hive', with: { hive: 'ML-04' } },
      { ask: 'Sing.', tool: 'none' },
      { ask: 'Move it.', tool: 'move_hive', with: { hive: 'ML-01' } },
    ]
    const report = await rehearse([weigh, move], questions, { url, model: 'm', key: 'k' })
    expect(report).toMatchObject({
      right: 3,
      by: 'm',
      questions: [{ misread: [] }, { picked: 'none' }, { misread: [expect.stringContaining('hive')] }],
    })
    expect(asked[0]?.headers.authorization).toBe('Bearer k')
    expect(asked[0]?.body).toMatchObject({
      model: 'm',
      messages: [{ role: 'user', content: 'How heavy is ML-04?' }],
      tools: [{ type: 'function', function: { name: 'weigh_hive', parameters: { type: 'object' } } }, {}],
    })
    await expect(rehearse([weigh], [{ ask: 'x', tool: 'none' }], { url })).rejects.toThrow(
      /the model sent no usable response \(its response has no choices/,
    )
    await expect(rehearse([weigh], [{ ask: 'x', tool: 'none' }], { url: 'http://127.0.0.1:9/x' })).rejects.toThrow(
      /model sent no usable response/,
    )
  })
})

describe('the report page', () => {
  test('shows the matrix and the questions, and runs no text of a server as code', async () => {
    const odd = tool('<img src=x onerror="window.broken=1">', '<script>window.broken=1</script>')
    const report = await rehearse(
      [weigh, odd],
      [{ ask: '<b>How heavy</b> is the scale of ML-04?', tool: odd.name }],
    )
    const page = await (await sharedBrowser()).newPage()
    await page.setContent(renderHtml(report, '<i>odd</i>'))
    await page.getByRole('heading', { name: 'Which tool would be picked: <i>odd</i>' }).waitFor()
    await page.getByText(standInWarning).waitFor()
    await page.getByRole('img', { name: 'Meant by row, picked by column' }).waitFor()
    expect(await page.getByText('<b>How heavy</b>').count()).toBe(1)
    expect(await page.evaluate('window.broken')).toBeUndefined()
    await page.close()
  })
})

describe('jexo rehearse', () => {
  test("leads every question of the apiary's members to its tool, and writes a page", async () => {
    const html = join(newFolder(), 'rehearsal.html')
    const ran = await jexo('rehearse', apiary, questionsFile, '--html', html)
    expect(ran).toMatchObject({
      code: 0,
      stderr: expect.stringMatching(/22 of 22 picked the expected tool[\s\S]*compares words only/),
    })
    expect(readFileSync(html, 'utf8')).toContain('<b>22 of 22</b>')
  })

  test('fails below the required accuracy, and reports what is wrong', async () => {
    const file = written(
      'few.questions.yaml',
      'version: 1\nquestions:\n  - { ask: "Show me all registered hives.", tool: list_hives }\n  - { ask: "Who are the members?", tool: list_members }\n',
    )
    const ran = await jexo('rehearse', apiary, file)
    expect(ran).toMatchObject({
      code: 1,
      stdout: expect.stringMatching(
        /✗ Show me all registered hives\.\n +register_hive, expected list_hives[\s\S]*register_hive is picked once instead of list_hives/,
      ),
    })
    expect((await jexo('rehearse', apiary, file, '--at-least', '0.5')).code).toBe(0)
    const data = JSON.parse((await jexo('rehearse', apiary, file, '--json')).stdout)
    expect(data).toMatchObject({ right: 1, matrix: { names: expect.arrayContaining(['list_hives']) } })
    expect(await jexo('rehearse', apiary, 'none.questions.yaml')).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('ENOENT'),
    })
  })
})

test('a question that expects an unknown tool is refused with the closest name', () => {
  const questions = [
    { ask: 'Sing a song.', tool: 'none' },
    { ask: 'How heavy is ML-04?', tool: 'weigh_hiv' },
  ]
  expect(() => checkTools('x.questions.yaml', questions, ['weigh_hive', 'list_sites'])).toThrow(
    /x\.questions\.yaml: question 2 expects the tool "weigh_hiv", which the server does not have; did you mean weigh_hive/,
  )
  expect(() => checkTools('x.questions.yaml', questions, ['weigh_hiv'])).not.toThrow()
})
