import { readFileSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { defineKit, Refusal, tool } from 'jexo'
import { openKit, runCase, scriptedModel, scriptedPerson } from 'jexo/testing'
import { z } from 'zod'
import type { Expectation, Outcome } from '../../src/replay/case.js'
import { differencesOf } from '../../src/replay/compare.js'
import { filled, maskValues, valueAt } from '../../src/replay/values.js'
import { apiary, bin, jexo, newFolder, written } from '../support/cli.js'

const kitText = `import { defineKit, prompt, Refusal, resource, tool } from 'jexo'
import { z } from 'zod'
let count = 0
const add = tool('add_note', { about: 'Adds a note.', effect: 'add', input: z.object({ text: z.string() }),
  confirm: ({ text }) => 'Add ' + text + '?',
  output: z.object({ id: z.string(), at: z.string(), text: z.string() }),
  run: ({ text }) => ({ id: 'n' + Math.floor(Math.random() * 1e6) + '-' + ++count, at: new Date().toISOString(), text }) })
const get = tool('get_note', { about: 'One note.', effect: 'read', input: z.object({ id: z.string() }),
  run: ({ id }) => { if (!id.startsWith('n')) throw new Refusal('There is no note ' + id + '.'); return 'note ' + id } })
const wait = tool('wait', { about: 'Waits.', effect: 'read', input: z.object({ ms: z.number() }), run: async ({ ms }) => { await new Promise((wake) => setTimeout(wake, ms)); return 'over' } })
export default defineKit({ name: 'notes', version: '1', parts: [add, get, wait,
  resource('notes://all', { name: 'all', about: 'All.', read: () => 'one\\ntwo' }),
  prompt('sum', { about: 'Sums up.', run: () => 'Sum up, please.' })] })`

/** A case beside its kit; returns the report of a run. */
async function replayed(steps: string, more = '') {
  const kit = written('notes.kit.ts', kitText)
  const file = join(kit, '../notes.case.yaml')
  writeFileSync(file, `version: 1\n${more}steps:\n${steps}`)
  return runCase(file, { target: `exec:"${process.execPath}" "${bin}" serve "${kit}"` })
}

describe('a case', () => {
  test('uses values of earlier steps, masks changing values, answers questions, reads and fills', async () => {
    const report = await replayed(
      `  - call: add_note
    with: { text: honey }
    answers: [{ about: Add honey, action: accept }]
    keep: { id: /structured/id }
    expect: { exactly: { id: x, at: y, text: honey }, schema: { required: [id], properties: { text: { const: honey } } } }
  - call: get_note
    with: { id: "\${id}" }
    expect: { text: "note \${id}", pattern: "^note n\\\\d+-\\\\d+$" }
  - call: get_note
    with: { id: x9 }
    expect: { failure: There is no note x9. }
  - call: nothing_such
    expect: { error: { code: -32602, message: nothing_such } }
  - read: notes://all
    expect: { contains: [one, two] }
  - fill: sum
    expect: { text: "Sum up, please." }
`,
      'mask: [id, /at]\n',
    )
    expect(report.steps.flatMap(({ differences }) => differences)).toStrictEqual([])
    expect(report).toMatchObject({ ok: true, steps: { length: 6 } })
  })

  test('reports a mismatch, and stops there', async () => {
    const asked = await replayed(
      '  - call: add_note\n    with: { text: wax }\n    expect: { structured: { text: wax } }\n  - read: notes://all\n    expect: { text: "" }\n',
    )
    expect(asked.steps).toHaveLength(1)
    expect(asked.steps[0]?.differences).toStrictEqual([
      expect.stringContaining('the tool failed'),
      'the server asked, and no answer matches: Add wax?',
    ])
    const slow = await replayed(
      '  - call: wait\n    with: { ms: 5 }\n    expect: { text: over }\n  - call: wait\n    with: { ms: 300 }\n    expect: { duration: { atMostTimes: 2, ofStep: 1 } }\n',
    )
    expect(slow.steps[1]?.differences[0]).toMatch(/^duration: [\d.]+ times step 1, expected at most 2$/)
    const none = await runCase(written('x.case.yaml', 'version: 1\nsteps: [{ call: a, expect: { text: a } }]'))
    expect(none.problem).toMatch(/it has no target/)
  })

  test.each([
    ['no YAML', 'steps: [', /line 1, column 9/],
    [
      'a word that means nothing',
      'version: 1\nsteps:\n  - call: a\n    wth: {}\n    expect: { text: a }',
      /line 3, column 5: steps\.0 has an unknown property "wth"/,
    ],
    [
      'nothing to do',
      'version: 1\nsteps:\n  - expect: { text: a }',
      /must have exactly one of call, read and fill/,
    ],
    ['another version', 'version: 2\nsteps: [{ call: a, expect: { text: a } }]', /line 1, column 10: version/],
  ])('that cannot be read names the place: %s', async (_, text, said) => {
    expect((await runCase(written('bad.case.yaml', text))).problem).toMatch(said)
  })
})

describe('a comparison', () => {
  const got: Outcome = {
    text: 'a\nb',
    structured: { kg: 4, rows: [{ id: 1, on: 'x' }], more: true },
    durationMs: 1,
  }
  const same = <T>(value: T) => value
  const rows: [string, Expectation, Partial<Outcome>, RegExp | undefined][] = [
    ['a part of the fields', { structured: { kg: 4, rows: [{ id: 1 }] } }, {}, undefined],
    ['another value', { structured: { rows: [{ id: 2 }] } }, {}, /^structured\.rows\[0\]\.id: expected 2, got 1$/],
    ['a field that is not there', { structured: { g: 1 } }, {}, /^structured\.g: expected 1, but it is missing$/],
    ['fewer entries', { structured: { rows: [] } }, {}, /expected 0 entries, got 1/],
    [
      'nothing else',
      { exactly: { kg: 4, rows: [{ id: 1, on: 'x' }] } },
      {},
      /^structured\.more: not expected, got true$/,
    ],
    ['a schema', { schema: { properties: { kg: { type: 'string' } } } }, {}, /^structured\.kg: must be string$/],
    ['text, line by line', { text: 'a\nc' }, {}, /^text, line 2: expected "c", got "b"$/],
    ['a pattern', { pattern: '^b' }, {}, /does not match \^b/],
    ['a missing failure', { failure: true }, {}, /the tool did not fail/],
    [
      'a failure with the id of another call',
      { failure: 'add failed (error …).' },
      { failure: 'add failed (error 00aabb11).' },
      undefined,
    ],
    ['another failure', { failure: 'x' }, { failure: 'y' }, /^failure: expected "x", got "y"$/],
    ['a failure instead of an answer', { text: 'a' }, { failure: 'broken' }, /^the tool failed: broken$/],
    [
      'a new error',
      { text: 'a' },
      { error: { code: -32603, message: 'gone' } },
      /^the server refused: -32603 gone$/,
    ],
    [
      'another error',
      { error: { code: 1 } },
      { error: { code: 2, message: '' } },
      /^error\.code: expected 1, got 2$/,
    ],
    ['a missing error', { error: {} }, {}, /did not refuse/],
  ]
  test.each(rows)('%s', async (_, expected, more, said) => {
    const differences = await differencesOf(expected, { ...got, ...more }, [1], same)
    if (said) expect(differences).toStrictEqual([expect.stringMatching(said)])
    else expect(differences).toStrictEqual([])
  })

  test('accepts masks as names, pointers with a star, and patterns', () => {
    const mask = maskValues(['id', '/rows/*/at', '/\\d{4}-\\d\\d/'])
    expect(mask({ id: 1, rows: [{ at: 2, kg: 3 }], at: 4, text: 'on 2026-06-02' })).toStrictEqual({
      ...{ id: '(masked)', rows: [{ at: '(masked)', kg: 3 }], at: 4, text: 'on (masked)-02' },
    })
  })

  // biome-ignore-start lint/suspicious/noTemplateCurlyInString: so they are written in cases
  test('keeps the type of a value that stands alone', () => {
    const kept = new Map<string, unknown>([['n', 3]])
    expect(filled({ a: '${n}', b: ['no ${n}, ${other}'] }, kept)).toStrictEqual({ a: 3, b: ['no 3, ${other}'] })
    expect(valueAt({ 'a/b': [{ '~': 1 }] }, '/a~1b/0/~0')).toBe(1)
    expect(valueAt({}, '/toString')).toBeUndefined()
  })
  // biome-ignore-end lint/suspicious/noTemplateCurlyInString: so they are written in cases
})

describe('jexo replay', () => {
  test('passes for the cases of the apiary', async () => {
    const ran = await jexo('replay', join(dirname(apiary), 'cases'))
    expect(ran).toMatchObject({ code: 0, stderr: expect.stringContaining('2 cases as expected') })
  })

  test('saves a call, runs it, shows what changed, and accepts the change', async () => {
    const folder = newFolder()
    const file = join(folder, 'weigh.case.yaml')
    const hives = written(
      'hives.kit.mjs',
      `import { defineKit, tool } from 'jexo'
       const input = { type: 'object', properties: { hive: { type: 'string' } } }
       const output = { type: 'object', properties: { kg: { type: 'number' } } }
       const weigh = tool('weigh_hive', { about: 'Weighs it.', effect: 'read', input, output, run: () => ({ kg: 36.99 }) })
       export default defineKit({ name: 'hives', version: '1.0.0', parts: [weigh] })`,
    )
    const saved = await jexo('call', hives, 'weigh_hive', 'hive=ML-04', '--save', join(folder, 'weigh'))
    expect(saved).toMatchObject({ code: 0, stderr: expect.stringContaining('run it with: jexo replay') })
    expect((await jexo('call', hives, 'weigh_hive', 'hive=ML-04', '--save', file)).stderr).toMatch(
      /cannot be written \(EEXIST\)/,
    )
    const fine = await jexo('replay', folder)
    expect(fine).toMatchObject({ code: 0, stdout: expect.stringMatching(/✓ .*weigh\.case\.yaml {2}1 step/) })
    const text = readFileSync(file, 'utf8')
    writeFileSync(file, text.replace('version: 1', '# mine\nversion: 1').replace(/kg: .*/, 'kg: 1'))
    const junit = join(folder, 'junit.xml')
    const changed = await jexo('replay', folder, '--junit', junit)
    expect(changed).toMatchObject({
      code: 1,
      stdout: expect.stringMatching(/step 1, call weigh_hive: structured\.kg: expected 1, got [\d.]+/),
    })
    expect(readFileSync(junit, 'utf8')).toMatch(
      /failures="1"[\s\S]*<failure message="structured\.kg: expected 1, got/,
    )
    const updated = await jexo('replay', file, '--update')
    expect(updated).toMatchObject({ code: 0, stderr: expect.stringMatching(/^- +kg: 1$/m) })
    expect(readFileSync(file, 'utf8')).toBe(text.replace('version: 1', '# mine\nversion: 1'))
    const gone = await jexo('replay', file, '--target', written('notes.kit.ts', kitText), '--json')
    expect(gone.code).toBe(1)
    expect(JSON.parse(gone.stdout)[0].steps[0].differences).toStrictEqual([
      expect.stringMatching(/the server refused: -32602 .*weigh_hive/),
    ])
    expect(await jexo('replay', newFolder())).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('there are no case files'),
    })
  })
})

test('persons and models for tests answer by script and remember what they were asked', async () => {
  const ask = tool('ask', {
    about: 'Asks.',
    effect: 'read',
    run: async (_, call) => {
      const { action } = await call.askPerson('How many?', z.object({ count: z.number() }))
      const { content } = await call.askModel({
        messages: [{ role: 'user', content: { type: 'text', text: 'Why?' } }],
        maxTokens: 9,
      })
      if (action !== 'accept') throw new Refusal('No.')
      return JSON.stringify(content)
    },
  })
  const person = scriptedPerson([{ about: 'many', action: 'accept', content: { count: 2 } }])
  const model = scriptedModel(['Because.'])
  const { onQuestion } = person
  const link = await openKit(defineKit({ name: 'k', version: '1', parts: [ask] }), {
    onQuestion,
    onModelRequest: model.onModelRequest,
  })
  expect((await link.call('ask')).content[0]).toMatchObject({ text: expect.stringContaining('Because.') })
  expect((await link.call('ask')).isError).toBe(true)
  expect(person).toMatchObject({ asked: ['How many?', 'How many?'], unanswered: ['How many?'] })
  expect(model.requests).toHaveLength(2)
  await link.close()
})

test('runs with or without the layers of a kit', async () => {
  const kit = written(
    'limited.kit.ts',
    `import { defineKit, tool } from 'jexo'
import { limitRate } from 'jexo/layers'
const once = limitRate({ calls: 1 })
export default defineKit({ name: 'k', version: '1', layers: [once], parts: [
  tool('say', { about: 'Says.', effect: 'read', layers: [once], run: () => 'said' })] })`,
  )
  const file = join(kit, '../limited.case.yaml')
  writeFileSync(file, `version: 1\ntarget: ${kit}\nsteps:\n  - call: say\n    expect: { text: said }\n`)
  const limited = await jexo('replay', file)
  expect(limited).toMatchObject({ code: 1, stdout: expect.stringContaining('rate limit') })
  expect((await jexo('replay', file, '--no-layers')).code).toBe(0)
  const elsewhere = await jexo('replay', file, '--no-layers', '--target', `exec:node ${kit}`)
  expect(elsewhere.stdout + elsewhere.stderr).toContain('works only for kit files')
  const questions = written('k.questions.yaml', 'version: 1\nquestions:\n  - ask: say it\n    tool: say\n')
  expect((await jexo('rehearse', kit, questions, '--no-layers')).stderr).not.toContain('error')
})
