import { existsSync, readFileSync } from 'node:fs'
import { createServer } from 'node:net'
import { join } from 'node:path'
import type { HttpService } from 'jexo/node'
import { serveApiary } from '../support/apiary.js'
import { apiary, bin, hives, jexo, newFolder, Running, root, run, written } from '../support/cli.js'

/** The apiary on a running server, for tests that do not depend on how a kit is loaded. */
let served: string
let service: HttpService
beforeAll(async () => {
  service = await serveApiary()
  served = service.url
})
afterAll(async () => {
  await service.close()
  await Running.endAll()
})

describe('call', () => {
  test('prints structured content as JSON', async () => {
    const ran = await jexo('call', apiary, 'weigh_hive', 'hive=ML-04', '--json')
    expect(ran).toMatchObject({ code: 0, stderr: '' })
    expect(JSON.parse(ran.stdout)).toStrictEqual({ kg: expect.any(Number), at: expect.any(String) })
  })

  test('exits 1 with a helpful text if the tool refuses', async () => {
    const ran = await jexo('call', served, 'weigh_hive', 'hive=ML-99')
    expect(ran).toMatchObject({ code: 1, stdout: '' })
    expect(ran.stderr).toMatch(/no hive ML-99\. The nearest codes are ML-12/)
    const asJson = await jexo('call', served, 'weigh_hive', 'hive=ML-99', '--json')
    expect(asJson.code).toBe(1)
    expect(JSON.parse(asJson.stdout)).toStrictEqual({
      error: { code: 'tool-error', message: expect.stringContaining('ML-99') },
    })
  })

  test('converts values by the schema', async () => {
    const fed = await jexo('call', served, 'winter_feed', 'storesKg=9.5', 'framesOfBees=8', '--json')
    expect(JSON.parse(fed.stdout)).toStrictEqual({ sugarKg: expect.any(Number) })
    const args =
      '{"hive":"ML-02","on":"2026-06-01","framesOfBrood":5,"framesOfBees":8,"storesKg":7,"queenSeen":false}'
    const raw = await jexo('call', served, 'record_inspection', '--args', args, 'queenSeen=true', 'note=1', '--raw')
    expect(JSON.parse(raw.stdout)).toMatchObject({
      structuredContent: { hive: 'ML-02' },
      content: [{ type: 'text' }],
    })
  })

  test.each<[string, string[], RegExp]>([
    ['an unknown tool', ['weigh_hve'], /no tool "weigh_hve"; did you mean "weigh_hive"/],
    ['an unknown argument', ['weigh_hive', 'hve=1'], /weigh_hive has no argument "hve"; its arguments are "hive"/],
    [
      'a word that is not an argument',
      ['weigh_hive', 'ML-04'],
      /"ML-04" is not valid; expected arguments as name=value/,
    ],
    ['bad JSON', ['weigh_hive', '--args', '{'], /--args is not valid; expected a JSON object/],
    ['an unknown option', ['weigh_hive', '--nope'], /unknown option/],
    ['a revision that does not exist', ['weigh_hive', '--revision', '1999-01-01'], /1999-01-01/],
  ])('refuses %s with 2', async (_what, args, message) => {
    const ran = await jexo('call', served, ...args)
    expect(ran.stderr).toMatch(message)
    expect(ran).toMatchObject({ code: 2, stdout: '' })
  })

  test('shows progress and logs on stderr', async () => {
    const ran = await jexo('call', served, 'weigh_site', 'site=Orchard End')
    expect(ran.stderr).toMatch(/weigh_site: 1 of 4, ML-09/)
    expect(JSON.parse(ran.stdout).readings).toHaveLength(4)
  })
})

describe('targets', () => {
  test('can be a URL, a command, an entry of a configuration, a packed file', async () => {
    const serving = new Running([bin, 'serve', hives, '--http', '0'])
    const [url] = await serving.until(/http:\S+/)
    const command = `exec:"${process.execPath}" "${bin}" serve "${hives}"`
    const config = written('host.json', `{ /* mine */ "mcpServers": { "bees": { "url": "${url}" } }, }`)
    for (const target of [url, command, `${config}#bees`]) {
      const ran = await jexo('call', target, 'weigh_hive', 'hive=ML-04', '--json')
      expect({ target, code: ran.code, keys: Object.keys(JSON.parse(ran.stdout)) }).toStrictEqual({
        target,
        code: 0,
        keys: ['kg', 'at'],
      })
    }
    const refused = await jexo('call', url, 'weigh_hive', 'hive=ML-99')
    expect(refused.code).toBe(1)
    expect((await jexo('show', `${config}#wasps`)).stderr).toMatch(/no entry "wasps"; it has "bees"/)
    expect(await serving.end('SIGTERM')).toBe(0)
    expect(serving.said).toMatch(/SIGTERM: finishing running calls/)
  })

  test.each<[string, RegExp]>([
    ['http://127.0.0.1:9/mcp', /no connection/],
    ['exec:no-such-command-here', /no connection/],
    ['exec:node -e 0 | cat', /one command with its arguments/],
    [`exec:"${process.execPath}" -e "console.error('sorry'); process.exit(3)"`, /ended with code 3, saying: sorry/],
    ['nonsense', /is not a target/],
  ])('%s is refused with 2', async (target, message) => {
    const ran = await jexo('show', target, '--timeout', '5000')
    expect(ran.stderr).toMatch(message)
    expect(ran).toMatchObject({ code: 2, stdout: '' })
  })
})

test('show prints the parts as text and as JSON', async () => {
  const ran = await jexo('show', apiary)
  for (const said of [
    'Marsh Lane apiary',
    '23 tools',
    'weigh_hive  reads',
    'record_inspection  adds',
    'apiary://hives/{hive}',
    'inspection_letter  hive, member, tone?',
    'APIARY_SITE',
  ]) {
    expect(ran.stdout).toContain(said)
  }
  const { tools, revision } = JSON.parse((await jexo('show', served, '--json', '--revision', '2025-06-18')).stdout)
  expect([tools.length, revision]).toStrictEqual([23, '2025-06-18'])
})

test('read and fill print resources and prompts', async () => {
  expect((await jexo('read', served, 'fieldguide://robbing.md')).stdout).toMatch(/^# Robbing/)
  expect(JSON.parse((await jexo('read', served, 'apiary://hives/ML-07')).stdout)).toMatchObject({
    hive: 'ML-07',
    site: 'Quarry Field',
  })
  expect((await jexo('read', served, 'apiary://none')).code).toBe(1)
  const letter = await jexo('fill', served, 'inspection_letter', 'hive=ML-03', 'member=Ada Fenn')
  expect(letter.stdout).toContain('to Ada Fenn about the last inspection of ML-03')
  const missing = await jexo('fill', served, 'inspection_letter', 'hive=ML-03')
  expect(missing.stderr).toMatch(/needs "member"/)
})

test('every verb has help, and the main help lists only existing verbs', async () => {
  const { stdout, code } = await jexo('--help')
  expect(code).toBe(0)
  const verbs = [
    'serve',
    'show',
    'call',
    'read',
    'fill',
    'talk',
    'relay',
    'loupe',
    'attach',
    'new',
    'vet',
    'replay',
    'rehearse',
    'pack',
    'ship',
    'sign-in',
    'sign-out',
    'token',
    'demo',
    'completion',
  ]
  for (const verb of verbs) expect(stdout).toMatch(new RegExp(`^  ${verb} `, 'm'))
  for (const { stdout } of await Promise.all(verbs.map((verb) => jexo(verb, '--help'))))
    expect(stdout).toMatch(/Example: jexo/)
  expect((await jexo('frobnicate')).code).toBe(2)
})

test('shells complete verbs, options, choices, and the names in a target', async () => {
  const { stdout: script } = await jexo('completion', 'bash')
  const trial = `${script}
try() { COMP_WORDS=("$@"); COMP_CWORD=$((\${#COMP_WORDS[@]}-1)); COMPREPLY=(); _jexo; echo "\${COMPREPLY[*]}"; }
try jexo re; try jexo vet --s; try jexo pack --as ""
jexo() { JEXO_LOAD_TIMEOUT_MS=60000 "${process.execPath}" "${bin}" "$@"; }
try jexo call "${hives}" weigh_h; try jexo call "${hives}" weigh_hive ""; try jexo call nowhere.kit.ts w`
  const ran = await run('bash', ['-c', trial])
  expect(ran.stdout).toBe(
    'read relay replay rehearse\n--strict --seed --save --sarif\nfile npm container service kubernetes registry\nweigh_hive\nhive=\n\n',
  )
  expect((await jexo('completion', 'zsh')).stdout).toContain('compdef _jexo jexo')
  expect((await jexo('completion', 'fish')).stdout).toMatch(/^complete -c jexo .* -a replay/m)
  expect((await jexo('completion', 'csh')).code).toBe(2)
})

describe('pack', () => {
  test('refuses missing files at build time', async () => {
    const kit = written(
      'k.kit.ts',
      `import { defineKit, resource } from 'jexo'
       const pages = new URL('./pages/', import.meta.url)
       export default defineKit({ name: 'k', version: '1', parts: [resource('k://x', { name: 'x', about: 'x', read: () => String(pages) })] })`,
    )
    const ran = await jexo('pack', kit, '--out', newFolder())
    expect(ran.stderr).toMatch(/names "\.\/pages\/", and there is no such file or folder/)
    expect(ran.code).toBe(2)
  })
})

describe('attach', () => {
  test('prints the entry with absolute paths, and tries it', async () => {
    const ran = await jexo('attach', 'examples/apiary/apiary.kit.ts')
    expect(ran.stderr).toMatch(/tried it: apiary 1\.0\.0 responds: 23 tools/)
    // Its one secret has a default.
    expect(ran.stderr).not.toContain('It needs')
    const [first] = ran.stdout.split(/\n(?=\{)/)
    const { command, args } = JSON.parse(String(first)).mcpServers.apiary
    expect([command, ...args]).toStrictEqual([expect.stringMatching(/^\/.*node/), bin, 'serve', apiary])
  })

  test('writes into a file and keeps its other content', async () => {
    const before =
      '{\n\t// my servers\n\t"mcpServers": {\n\t\t"other": { "command": "/bin/other" }, // keep\n\t},\n\t"theme": "dark"\n}\n'
    const file = written('host config.jsonc', before)
    const ran = await jexo('attach', hives, '--to', file, '--as', 'bees')
    expect(ran).toMatchObject({ code: 0, stdout: expect.stringContaining('mcpServers.bees added') })
    expect(ran.stderr).toMatch(/4 tools/)
    const after = readFileSync(file, 'utf8')
    for (const kept of ['// my servers', '// keep', '"theme": "dark"', '"other"']) expect(after).toContain(kept)
    expect(readFileSync(`${file}.before-jexo`, 'utf8')).toBe(before)
    expect((await jexo('call', `${file}#bees`, 'weigh_hive', 'hive=ML-04', '--json')).code).toBe(0)
    expect((await jexo('attach', hives, '--to', file, '--as', 'bees')).stdout).toContain('is already present')
    const taken = await jexo('attach', hives, '--to', file, '--as', 'other')
    expect(taken).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('the name "other" belongs to another server'),
    })
  })

  test('leaves an unreadable file unchanged', async () => {
    const file = written('broken.json', '{ "mcpServers": ')
    const ran = await jexo('attach', hives, '--to', file)
    expect(ran).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('not a valid host configuration'),
    })
    expect(readFileSync(file, 'utf8')).toBe('{ "mcpServers": ')
  })

  test('reports why an entry does not respond', async () => {
    const ran = await jexo('attach', 'http://127.0.0.1:9/mcp')
    expect(ran).toMatchObject({
      code: 1,
      stderr: expect.stringMatching(/no response: http:\/\/127\.0\.0\.1:9/),
    })
  })
})

describe('the package', () => {
  test('exports existing files, for import and require', async () => {
    const { exports } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8'))
    const doors = Object.keys(exports).filter((door) => !door.endsWith('.json') && door !== './guard')
    for (const door of doors)
      for (const file of Object.values<string>(exports[door])) expect(existsSync(join(root, file))).toBe(true)
    const script = doors.map((door) => `require('${door.replace('.', 'jexo')}')`).join('; ')
    const ran = await run(process.execPath, ['-e', `${script}; console.log(typeof require('jexo').defineKit)`])
    expect(ran).toMatchObject({ code: 0, stdout: 'function\n' })
  })
})

test('the demo runs its tour and exits 0, on the next free ports if its own are in use', async () => {
  // Another test, or another program, may have them already.
  const blockers = [4870, 4874].map((port) =>
    createServer()
      .on('error', () => {})
      .listen(port, '127.0.0.1'),
  )
  const ran = await run(process.execPath, [join(root, 'scripts/demo.mjs'), '--tour'])
  expect({ code: ran.code, end: ran.stderr.slice(-1000) }).toStrictEqual({ code: 0, end: expect.any(String) })
  expect(ran.stderr).toMatch(/Port 4870 is in use; trying 4871/)
  expect(ran.stderr).toMatch(/Port 4874 is in use; trying 4875/)
  for (const said of [
    'kg at 2026-06-02',
    'There is no hive ML-99',
    'ML-05, ML-06, ML-07, ML-08',
    'is in the ledger',
    'the second includes apiary://hives/ML-04',
    'batch 11: 17.8 kg of rape, 16.3 %',
    'Marsh Lane 74.5 kg, Quarry Field',
    'Only a SELECT is allowed here; this is a DELETE',
    'winter-feed.md, line 5, Winter feed › How much',
    'kept by Ada Fenn; 3 inspections',
    '12 scales; ML-11: low battery',
    'scales://weight/ML-04 was updated:',
  ]) {
    expect(ran.stdout.replace(/\s+/g, ' ')).toContain(said)
  }
  // The hive that a tool adds is in the REST API itself.
  expect(ran.stdout).toMatch(/register_hive hive="ML-13"[\s\S]*200: \{"hive":"ML-13","site":"Orchard End"/)
  for (const blocker of blockers) blocker.close()
})
