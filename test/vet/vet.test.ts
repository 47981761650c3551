import { readFileSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { readChoices } from '../../src/vet/configuration.js'
import { diffContracts, toContract } from '../../src/vet/contract.js'
import { rules } from '../../src/vet/rules.js'
import { toSarif } from '../../src/vet/sarif.js'
import { vet } from '../../src/vet/vet.js'
import { parsed } from '../../src/vet/wire/child-talk.js'
import { apiary, jexo, newFolder, root, written } from '../support/cli.js'
import type { Loose } from '../support/raw-session.js'
import { Upstream } from '../support/upstream.js'
import { clean, faults } from './faults.js'

describe('the rules', () => {
  test('report nothing for a correct server', async () => {
    expect(await vet(clean)).toStrictEqual({ findings: [], asked: rules.length, off: [] })
  })

  test.each(rules.map((rule) => [rule.id, rule] as const))(
    '%s is reported at its place, with a fix',
    async (id, rule) => {
      const snapshot = faults[id]
      expect(snapshot).toBeDefined()
      const found = snapshot ? (await vet(snapshot)).findings.filter((finding) => finding.rule === id) : []
      expect(found.length).toBeGreaterThan(0)
      for (const finding of found) {
        expect(finding).toMatchObject({
          group: rule.group,
          location: expect.stringMatching(/\w/),
          problem: expect.stringMatching(/\w/),
        })
        expect(finding.fix).toMatch(/^[a-z]/)
      }
    },
  )

  test('number at least fifty, each named after its file', () => {
    expect(new Set(rules.map(({ id }) => id)).size).toBe(rules.length)
    expect(rules.length).toBeGreaterThanOrEqual(50)
    expect(Object.keys(faults).sort()).toStrictEqual(rules.map(({ id }) => id).sort())
    for (const { id } of rules)
      expect(readFileSync(join(root, 'src/vet/rules', `${id}.ts`), 'utf8')).toContain(`id: '${id}'`)
  })

  test('that throw on odd content are reported, and the other rules still run', async () => {
    const odd = { ...clean, tools: [{ ...clean.tools[0], description: 7 }] } as never
    const { findings } = await vet(odd)
    expect(findings).toStrictEqual(
      expect.arrayContaining([expect.objectContaining({ problem: expect.stringContaining('the rule failed') })]),
    )
  })
})

describe('a contract', () => {
  const before = toContract(clean)
  const changed = (change: (tool: Record<string, unknown>) => unknown) => {
    const now = structuredClone(before)
    now.tools.weigh_hive = change(now.tools.weigh_hive as never) as never
    return diffContracts(before, now).map(({ what, isBreaking }) => [what, isBreaking])
  }
  const input = (properties: object, required: string[] = ['hive']) => ({
    input: { type: 'object', properties, required },
  })
  const hive = { type: 'string', description: 'Hive code, such as ML-04', pattern: '^ML-\\d\\d$' }

  test.each<[string, object, [string, boolean][]]>([
    ['a new argument', input({ hive, unit: { type: 'string' } }), [['the argument unit is new', false]]],
    [
      'a new required argument',
      input({ hive, unit: {} }, ['hive', 'unit']),
      [['the argument unit is new and required', true]],
    ],
    [
      'another type',
      input({ hive: { ...hive, type: 'number' } }),
      [['the argument hive was string, and is number now', true]],
    ],
    [
      'choices',
      input({ hive: { ...hive, enum: ['ML-01'] } }),
      [['the argument hive now has a list of choices', true]],
    ],
    [
      'another pattern',
      input({ hive: { ...hive, pattern: 'x' } }),
      [['the argument hive has a different pattern', true]],
    ],
    [
      'a shorter text',
      input({ hive: { ...hive, maxLength: 5 } }),
      [['the argument hive has a smaller maxLength', true]],
    ],
    ['other words', input({ hive: { ...hive, description: 'Code' } }), []],
    [
      'an output schema',
      { ...input({ hive }), output: { type: 'object' } },
      [['its output now has a schema', false]],
    ],
  ])('distinguishes breaking from harmless changes: %s', (_, tool, expected) => {
    expect(changed(() => tool)).toStrictEqual(expected)
  })

  test('accepts wider outputs, and reports narrower ones', () => {
    const giving = (properties: object, required: string[]) => ({
      ...before,
      tools: { a: { input: {}, output: { type: 'object', properties, required } } },
    })
    const old = giving({ kg: { type: 'number' }, at: { type: 'string' } }, ['kg'])
    expect(
      diffContracts(old, giving({ kg: { type: 'number' }, at: { type: 'string' }, site: {} }, ['kg'])),
    ).toStrictEqual([])
    expect(diffContracts(old, giving({ at: { type: ['string', 'null'] } }, []))).toMatchObject([
      { what: 'the field kg of its output was removed', isBreaking: true },
      { what: 'the field at of its output was string or null, and is string now', isBreaking: true },
    ])
  })
})

describe("a project's own choices", () => {
  const known = new Set(rules.map(({ id }) => id))
  const chosen = (vetting: unknown) =>
    readChoices(dirname(written('package.json', JSON.stringify({ jexo: { vet: vetting } }))), known)

  test('turn rules off or change their severity, with a reason', async () => {
    const choices = await chosen({
      'name-dashes': { as: 'off', reason: 'our host takes them' },
      'about-short': { as: 'note', reason: 'they are short' },
    })
    const { findings, off } = await vet(
      { ...clean, tools: [{ ...clean.tools[0], name: 'weigh-hive', description: 'Scales.' }] as never },
      choices,
    )
    expect(off).toStrictEqual([{ rule: 'name-dashes', as: 'off', reason: 'our host takes them' }])
    expect(findings).toMatchObject([{ rule: 'about-short', severity: 'note' }])
  })

  test.each([
    [{ 'no-such': { as: 'off', reason: 'x' } }, /there is no rule "no-such"/],
    [{ 'name-dashes': { as: 'off' } }, /"name-dashes" needs a "reason"/],
    [{ 'name-dashes': false }, /must have "as": off, error, warning or note/],
    [7, /is not a map of rules/],
  ])('are refused if they make no sense: %j', async (vetting, said) => {
    await expect(chosen(vetting)).rejects.toThrow(said)
  })
})

test('SARIF output describes every rule', async () => {
  const { findings } = await vet(faults['about-orders'] ?? clean)
  const { runs } = toSarif(findings, 'hives.kit.ts') as {
    runs: [{ results: unknown[]; tool: { driver: { rules: unknown[] } } }]
  }
  expect(runs[0].tool.driver.rules).toHaveLength(rules.length)
  expect(runs[0].results).toStrictEqual([
    expect.objectContaining({
      ...{ ruleId: 'about-orders', level: 'error' },
      message: {
        text: expect.stringMatching(
          /^tool weigh_hive: the description instructs the model: .*\. Describe what the tool does/,
        ),
      },
    }),
  ])
})

/** What a server without care responds, by method. */
const faulty: Record<string, object> = {
  initialize: {
    protocolVersion: '2025-11-25',
    capabilities: { tools: {} },
    serverInfo: { name: 'server', version: '' },
  },
  ping: {},
  'tools/list': {
    tools: [
      { name: 'query', inputSchema: { type: 'object', properties: { sql: { type: 'string' } } } },
      { name: 'run', description: 'Runs.', inputSchema: { type: 'object' } },
    ],
  },
}
/** The same server over HTTP. */
async function faultyEndpoint(): Promise<string> {
  const upstream = await Upstream.start(({ method, body }) => {
    if (method !== 'POST') return { status: 405 }
    const message = parsed(body) as Loose | null
    if (message?.id === undefined) return { status: 202 }
    const result = faulty[message.method]
    const response = result ? { result } : { error: { code: -32601, message: 'no' } }
    return { body: { jsonrpc: '2.0', id: message.id, ...response } }
  })
  return upstream.url
}
afterAll(() => Upstream.endAll())

describe('jexo vet', () => {
  test('finds nothing in the apiary, and lists what its configuration ignores', async () => {
    const ran = await jexo('vet', apiary, '--strict')
    expect(ran).toMatchObject({
      code: 0,
      stdout: '',
      stderr: expect.stringMatching(
        /off: command-parameter \(ask_ledger is read-only.*\n.*no findings \(59 rules\)/,
      ),
    })
  })

  test('reports the faults of any server as text, JSON and SARIF', async () => {
    const server = written(
      'odd.mjs',
      `console.log('listening')
      process.stdin.setEncoding('utf8').on('data', (chunk) => { for (const line of chunk.split('\\n').filter(Boolean)) {
        const { id, method } = JSON.parse(line)
        const answers = ${JSON.stringify(faulty)}
        if (id !== undefined) console.log(JSON.stringify(answers[method] ? { jsonrpc: '2.0', id, result: answers[method] } : { jsonrpc: '2.0', id, error: { code: -32601, message: 'no' } }))
      } })`,
    )
    const sarif = join(newFolder(), 'vet.sarif')
    const ran = await jexo('vet', `exec:"${process.execPath}" "${server}"`, '--sarif', sarif)
    expect(ran.code).toBe(1)
    expect(ran.stdout).toMatch(/^error +tool query +about-missing$/m)
    expect(ran.stdout).toMatch(/it writes "listening" to stdout/)
    expect(ran.stderr).toMatch(/\d errors, \d warnings, \d notes? \(60 rules\)/)
    expect(JSON.parse(readFileSync(sarif, 'utf8')).runs[0].results.length).toBeGreaterThan(5)
    // Over HTTP, a check that fails costs no start of a process.
    const data = await jexo('vet', await faultyEndpoint(), '--json', '--wire', '--check-timeout', '100')
    const { findings, wire } = JSON.parse(data.stdout)
    expect(findings).toStrictEqual(
      expect.arrayContaining([
        expect.objectContaining({ rule: 'name-vague', location: 'tool query', severity: 'error' }),
      ]),
    )
    expect(wire.sections.find(({ section }: { section: string }) => section === 'Overview')).toMatchObject({
      broken: expect.any(Number),
      met: expect.any(Number),
    })
    expect(findings.some(({ rule }: { rule: string }) => rule.startsWith('wire-'))).toBe(true)
  })

  test('writes a contract and reports later changes', async () => {
    const kit = (input: string) => `import { defineKit, tool } from 'jexo'
      import { z } from 'zod'
      export default defineKit({ name: 'k', version: '1.0.0', about: 'A kit.', parts: [tool('weigh_hive', { about: 'The scale under a hive.', effect: 'read', input: z.object({ ${input} }), run: () => 'x' })] })`
    const file = written('scale.kit.ts', kit("hive: z.string().describe('Its code')"))
    expect(await jexo('vet', file, '--save')).toMatchObject({
      code: 0,
      stderr: expect.stringContaining('scale.contract.json'),
    })
    expect((await jexo('vet', file, '--strict')).code).toBe(0)
    writeFileSync(file, kit("hive: z.number().describe('Its code'), unit: z.string().describe('Unit').optional()"))
    const ran = await jexo('vet', file)
    expect(ran.code).toBe(1)
    expect(ran.stdout).toMatch(
      /error +tool weigh_hive +drift-breaking\n +the argument hive was string, and is number now/,
    )
    expect(ran.stdout).toMatch(/note +tool weigh_hive +drift-harmless\n +the argument unit is new/)
    writeFileSync(file.replace('.kit.ts', '.contract.json'), '{}')
    expect(await jexo('vet', file)).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('it is not a valid contract'),
    })
  })

  test('lists its rules, and reports nothing for a conforming server', async () => {
    const listed = await jexo('vet', '--rules')
    for (const { id } of rules) expect(listed.stdout).toContain(id)
    // Some checks start the server again, and a program starts sooner than `jexo serve` does.
    const server = written(
      'hives.mjs',
      `import { defineKit, prompt, resource, tool } from ${JSON.stringify(join(root, 'dist/index.js'))}
      import { serveStdio } from ${JSON.stringify(join(root, 'dist/node.js'))}
      const site = { type: 'string', enum: ['Marsh Lane', 'Quarry Field'], description: 'Name of a site' }
      const input = { type: 'object', properties: { site }, required: ['site'] }
      const output = { type: 'object', properties: { hives: { type: 'number' } }, required: ['hives'] }
      await serveStdio(defineKit({ name: 'hives', version: '1.0.0', about: 'Hives.', parts: [
        tool('count_hives', { about: 'How many hives stand at one site.', effect: 'read', input, output, examples: [{ input: { site: 'Marsh Lane' } }], run: () => ({ hives: 4 }) }),
        resource('hives://all', { name: 'all', about: 'All hives.', mimeType: 'text/plain', read: () => 'ML-01' }),
        prompt('site_letter', { about: 'A letter about a site.', input, run: ({ site }) => 'About ' + site }),
      ] }))`,
    )
    const target = `exec:"${process.execPath}" "${server}"`
    const ran = await jexo('vet', target, '--wire', '--strict')
    expect(ran).toMatchObject({
      code: 0,
      stdout: expect.stringMatching(/The standard, revision 2025-11-25:\n +Overview +\d+ passed/),
    })
    expect(await jexo('vet', 'no-such.kit.ts')).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(/no-such\.kit\.ts/),
    })
  })
})
