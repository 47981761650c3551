import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, isAbsolute, join } from 'node:path'
import fc from 'fast-check'
import { carryOut, planEntry, planRemoval } from '../../src/attach/write-entry.js'
import { readConfigEntries, readConfigEntry } from '../../src/host-config/config-file.js'
import { type ShapeName, shapeNames } from '../../src/host-config/shape/shape.js'
import { shapeOf } from '../../src/host-config/shape/shape-of.js'
import { jexo, written } from '../support/cli.js'

const entry = {
  command: '/opt/no de/bin/nöde',
  args: ['C:\\bees\\jexo.mjs', 'serve', '/é/"a b"/k.ts'],
  env: { SITE: 'Quarry # Field', N: '' },
}
const other = { command: '/bin/other', args: ['x'] }

/** A configuration file in each format, with comments, another server and other settings. */
const files: Record<ShapeName, { name: string; text: string; kept: string[] }> = {
  mcpServers: {
    name: 'host.jsonc',
    text: '{\n\t// mine\n\t"mcpServers": {\n\t\t"other": { "command": "/bin/other", "args": ["x"] }, // keep\n\t},\n\t"theme": "dark"\n}\n',
    kept: ['// mine', '// keep', '"theme": "dark"'],
  },
  servers: {
    name: 'settings.json',
    text: '{\n  "editor": 1,\n  "mcp": {\n    "servers": { "other": { "type": "stdio", "command": "/bin/other", "args": ["x"] } }\n  }\n}\n',
    kept: ['"editor": 1'],
  },
  toml: {
    name: 'host.toml',
    text: '# mine\nmodel = "x"\n\n[mcp_servers.other] # keep\ncommand = "/bin/other"\nargs = [\n  "x",\n]\n\n# of the looks\n[ui]\ntheme = "dark"\n',
    kept: ['# mine', '# keep', '# of the looks', 'theme = "dark"'],
  },
  yaml: {
    name: 'host.yaml',
    text: '# mine\nmcpServers:\n  # first\n  - name: other # keep\n    command: /bin/other\n    args: [x]\ntheme: dark\n',
    kept: ['# mine', '# first', '# keep', 'theme: dark'],
  },
}

describe.each(shapeNames)('a host configuration in the format %s', (name) => {
  const { name: fileName, text, kept } = files[name]

  test('stores an entry, returns it unchanged, and is as before when it is removed', async () => {
    const file = written(fileName, text)
    const change = await planEntry(file, 'bees', entry)
    expect(change).toMatchObject({ did: 'added', path: expect.arrayContaining(['bees']) })
    expect(change.difference).toMatch(/^\+/m)
    expect(readFileSync(file, 'utf8')).toBe(text)
    const backup = await carryOut(change)
    expect(backup).toBe(`${file}.before-jexo`)
    expect(readFileSync(String(backup), 'utf8')).toBe(text)
    expect(await readConfigEntry(file, 'bees')).toStrictEqual(entry)
    expect(await readConfigEntries(file)).toMatchObject({ other })
    for (const word of kept) expect(readFileSync(file, 'utf8')).toContain(word)
    expect((await planEntry(file, 'bees', entry)).did).toBe('is already present')
    const renewed = { ...entry, env: { SITE: 'other' } }
    const again = await planEntry(file, 'bees', renewed)
    expect(again.did).toBe('updated')
    await carryOut(again)
    expect(await readConfigEntry(file, 'bees')).toStrictEqual(renewed)
    await carryOut(await planRemoval(file, 'bees'))
    for (const word of kept) expect(readFileSync(file, 'utf8')).toContain(word)
    expect(Object.keys(await readConfigEntries(file))).toStrictEqual(['other'])
    expect((await planRemoval(file, 'bees')).did).toBe('is not present')
  })

  test('is created if missing, and a name used by another server is refused', async () => {
    const file = written(`new-${fileName}`, '')
    await carryOut(
      await planEntry(
        file,
        'bees',
        { url: 'http://127.0.0.1:1/mcp', headers: { 'X-Site': 'Quarry' } },
        { shape: name },
      ),
    )
    expect(await readConfigEntry(file, 'bees')).toStrictEqual({
      url: 'http://127.0.0.1:1/mcp',
      headers: { 'X-Site': 'Quarry' },
    })
    const taken = written(fileName, text)
    await expect(planEntry(taken, 'other', entry)).rejects.toThrow(/"other" belongs to another server/)
    expect((await planEntry(taken, 'other', entry, { mayReplace: true })).did).toBe('updated')
  })

  test('keeps any name and any text', () => {
    fc.assert(
      fc.property(fc.string({ minLength: 1, unit: 'grapheme' }), fc.string({ unit: 'grapheme' }), (key, value) => {
        fc.pre(key !== '__proto__' && !/^\s|\s$/.test(key))
        const shape = shapeOf(fileName, text)
        const after = shape.put(fileName, text, key, { command: value, args: [value] })
        expect(shape.read(fileName, after)?.servers[key]).toEqual({ command: value, args: [value] })
      }),
      { numRuns: 60 },
    )
  })
})

test.each([
  ['broken.json', '{ "mcpServers": ', /in line 1/],
  ['broken.toml', 'a = 1\nb = \n', /line 2/],
  ['broken.yaml', 'a: [1\nb: 2\n', /not a valid host configuration/],
  ['inline.toml', 'mcp_servers = { other = { command = "x" } }\n', /cannot be edited/],
])('%s is refused with the place, and left unchanged', async (name, text, wanted) => {
  const file = written(name, text)
  await expect(planEntry(file, 'bees', entry)).rejects.toThrow(wanted)
  expect(readFileSync(file, 'utf8')).toBe(text)
})

test('line endings of another system are kept', async () => {
  const text = files.toml.text.replaceAll('\n', '\r\n')
  const file = written('host.toml', text)
  await carryOut(await planEntry(file, 'bees', entry))
  expect(readFileSync(file, 'utf8').replaceAll('\r\n', '')).not.toMatch(/\r|\n/)
})

test("references to the host's environment are resolved when an entry is used", async () => {
  process.env.JEXO_TEST_WAX = 'soft'
  const reference = ['$', '{env:JEXO_TEST_WAX}'].join('')
  const servers = { a: { type: 'stdio', command: 'x', env: { WAX: reference } } }
  const file = written('host.json', JSON.stringify({ servers }))
  expect(await readConfigEntry(file, 'a')).toMatchObject({ env: { WAX: 'soft' } })
  delete process.env.JEXO_TEST_WAX
})

const kitText = `import { defineKit, tool } from 'jexo'
  export default defineKit({ name: 'garden', version: '1', parts: [tool('count_flowers', { about: 'Counts.', effect: 'read', run: () => 'seven' })] })`

test('jexo attach writes several files of any format, shows the changes, tries the entry, and removes it', async () => {
  const kit = written('garden é.kit.mjs', kitText)
  const into = shapeNames.map((name) => written(files[name].name, files[name].text))
  const to = into.flatMap((file) => ['--to', file])
  const dry = await jexo('attach', kit, ...to, '--dry-run')
  expect(dry).toMatchObject({ code: 0, stdout: expect.stringMatching(/garden would be added/) })
  expect(into.map((file) => readFileSync(file, 'utf8'))).toStrictEqual(shapeNames.map((name) => files[name].text))
  const ran = await jexo('attach', kit, ...to)
  expect(ran.stderr).toMatch(/\+\[mcp_servers\.garden\][\s\S]*tried it: garden 1 responds: 1 tool/)
  for (const file of into) expect((await jexo('call', `${file}#garden`, 'count_flowers')).stdout).toBe('seven\n')
  expect((await jexo('attach', kit, ...to, '--remove')).stdout.match(/garden removed/g)).toHaveLength(4)
  expect((await jexo('attach', kit, ...to, '--remove')).code).toBe(1)
  const broken = written('broken.json', '{')
  const mixed = await jexo('attach', kit, '--to', String(into[0]), '--to', broken)
  expect(mixed.code).toBe(2)
  expect(readFileSync(String(into[0]), 'utf8')).not.toContain('garden')
})

test('jexo attach prints every format, or one, and the values for a dialog', async () => {
  const kit = written('garden.kit.mjs', kitText)
  const all = await jexo('attach', kit)
  for (const word of ['"mcpServers"', '"servers"', '[mcp_servers.garden]', '- name: garden'])
    expect(all.stdout).toContain(word)
  const one = await jexo('attach', kit, '--shape', 'toml')
  expect(one.stdout).toMatch(/^\[mcp_servers\.garden\]\ncommand = /)
  const url = await jexo('attach', 'http://127.0.0.1:9/mcp', '--header', 'X-Site: Quarry')
  expect(url.stderr).toMatch(
    /with a dialog: the URL is http:\/\/127\.0\.0\.1:9\/mcp\nand it needs the header X-Site: Quarry/,
  )
  expect(await jexo('attach', kit, '--shape', 'ini')).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('Allowed choices'),
  })
})

test('a missing folder is reported before anything is written, and an unwritable file is left unchanged', async () => {
  const file = written('host.json', '{}')
  const lost = `${dirname(file)}/no/such/host.json`
  await expect(planEntry(lost, 'bees', entry)).rejects.toThrow(
    /its folder .*no\/such does not exist; check the path/,
  )
  const change = { ...(await planEntry(file, 'bees', entry)), file: lost }
  await expect(carryOut(change)).rejects.toThrow(/cannot be written \(ENOENT\) and was not changed/)
  expect(existsSync(lost)).toBe(false)
})

test('the first backup is kept; a second one has the last change', async () => {
  const file = written('host.json', '{}')
  const backups: (string | undefined)[] = []
  for (const SITE of ['a', 'b', 'c'])
    backups.push(await carryOut(await planEntry(file, 'bees', { ...entry, env: { SITE } })))
  expect(backups).toStrictEqual([`${file}.before-jexo`, `${file}.before-jexo-last`, `${file}.before-jexo-last`])
  expect(readFileSync(`${file}.before-jexo`, 'utf8')).toBe('{}')
  expect(readFileSync(`${file}.before-jexo-last`, 'utf8')).toContain('"b"')
})

describe('a secret header', () => {
  const url = 'http://127.0.0.1:9/mcp'
  const attached = async (name: string, text: string, ...words: string[]) => {
    const file = written(name, text)
    const ran = await jexo('attach', url, '--to', file, ...words)
    return { ran, text: readFileSync(file, 'utf8') }
  }
  const header = ['--header', 'Authorization: Bearer s3cret-value']

  test('is prompted for by hosts with inputs, and refused elsewhere unless allowed', async () => {
    const asked = await attached('settings.json', '{ "servers": {} }', ...header)
    expect(JSON.parse(asked.text)).toMatchObject({
      servers: {
        // biome-ignore lint/suspicious/noTemplateCurlyInString: as hosts write it
        '127_0_0_1': { type: 'http', url, headers: { Authorization: '${input:JEXO_HEADER_AUTHORIZATION}' } },
      },
      inputs: [{ id: 'JEXO_HEADER_AUTHORIZATION', password: true }],
    })
    const refused = await attached('host.json', '{}', ...header)
    expect(refused).toMatchObject({
      text: '{}',
      ran: { code: 2, stderr: expect.stringMatching(/the header Authorization is a secret[\s\S]*--write-secrets/) },
    })
    const told = await attached('host.json', '{}', ...header, '--write-secrets')
    expect(told.text).toContain('s3cret-value')
    expect(told.ran.stderr).toMatch(/The entry stays in .*host\.json; --remove takes it out again/)
    const printed = await jexo('attach', url, ...header)
    expect(printed.stdout + printed.stderr).not.toContain('s3cret-value')
  })

  test('keeps the reference that was passed', async () => {
    // biome-ignore lint/suspicious/noTemplateCurlyInString: as hosts write it
    const { text } = await attached('host.json', '{}', '--header', 'Authorization: Bearer ${env:HIVES_TOKEN}')
    expect(text).toContain('"Authorization": "Bearer $'.concat('{env:HIVES_TOKEN}"'))
  })
})

describe('an entry', () => {
  const secretKit = `import { defineKit, setting, tool } from 'jexo'
const t = tool('length', { about: 'How long the key is.', effect: 'read', run: (_, call) => String(call.settings.KEY?.length) })
export default defineKit({ name: 'my-hives.v2', version: '1', parts: [t], settings: { KEY: setting({ about: 'The key.', secret: true }) } })`

  test('with a secret uses an input in hosts that have inputs, and removes it with the entry', async () => {
    const kit = written('secret.kit.ts', secretKit)
    const before = '{\n  "servers": { "other": { "type": "stdio", "command": "/bin/other", "args": [] } }\n}\n'
    const file = written('settings.json', before)
    process.env.KEY = 'abc'
    const ran = await jexo('attach', kit, '--to', file, '--as', 'my hives')
    expect(ran).toMatchObject({
      code: 0,
      stderr: expect.stringContaining('Named my_hives: some hosts reject dashes'),
    })
    const text = readFileSync(file, 'utf8')
    expect(text).not.toContain('abc')
    expect(JSON.parse(text)).toMatchObject({
      // biome-ignore lint/suspicious/noTemplateCurlyInString: as hosts write it
      servers: { my_hives: { type: 'stdio', env: { KEY: '${input:KEY}' } } },
      inputs: [{ type: 'promptString', id: 'KEY', description: 'The key.', password: true }],
    })
    // The input that the host would ask for comes from the environment here.
    expect(await jexo('call', `${file}#my_hives`, 'length')).toMatchObject({ code: 0, stdout: '3\n' })
    expect((await jexo('attach', kit, '--to', file, '--as', 'my hives')).stdout).toContain('is already present')
    expect((await jexo('attach', kit, '--to', file, '--as', 'my hives', '--remove')).code).toBe(0)
    expect(JSON.parse(readFileSync(file, 'utf8'))).toStrictEqual(JSON.parse(before))
    const known = await jexo('attach', kit, '--to', written('host.json', ''))
    expect(known).toMatchObject({
      code: 0,
      stderr: expect.stringMatching(
        /1 tool, .* with KEY from this environment; without it, the entry does not start/,
      ),
    })
    writeFileSync(join(dirname(kit), '.env'), 'KEY=of-the-file\n')
    delete process.env.KEY
    expect((await jexo('attach', kit, '--to', written('host.json', ''))).stderr).toMatch(
      /KEY comes from .*\.env\.\n[\s\S]*responds: 1 tool/,
    )
    rmSync(join(dirname(kit), '.env'))
    const relative = await jexo('attach', kit, '--dry-run', '--env', 'LEDGER=./ledger.sqlite', '--env', 'SITE=a.b')
    expect(relative.stderr).toMatch(/LEDGER is a relative path, and hosts start servers in another folder: use \//)
    expect(relative.stderr).not.toContain('SITE is')
    delete process.env.KEY
    const without = await jexo('attach', kit, '--to', written('host.json', ''))
    expect(without).toMatchObject({
      code: 1,
      stderr: expect.stringMatching(/It needs KEY: secrets are not written[\s\S]*a setting is missing: KEY/),
    })
  })

  test('has absolute paths of the command and its files, and the options that were passed', async () => {
    const script = written('sérver.mjs', `console.error('Error: no honey\\n    at x'); process.exit(1)`)
    const file = written('host.json', '')
    const words = [
      'attach',
      'exec:node sérver.mjs --flag',
      '--to',
      file,
      '--env',
      'SITE=a b',
      '--cwd',
      dirname(script),
    ]
    const ran = await jexo(...words)
    // Its error, without the stack under it.
    expect(ran).toMatchObject({
      code: 1,
      stderr: expect.stringMatching(/no response: .*saying: Error: no honey\)\n/),
    })
    const { command, args, env, cwd } = JSON.parse(readFileSync(file, 'utf8')).mcpServers.s_rver
    expect({ args, env, cwd }).toStrictEqual({
      args: [script, '--flag'],
      env: { SITE: 'a b' },
      cwd: dirname(script),
    })
    expect(isAbsolute(command)).toBe(true)
    expect(await jexo('attach', 'exec:no-such-program x')).toMatchObject({
      ...{
        code: 2,
        stderr: expect.stringContaining('the program "no-such-program" was not found in PATH'),
      },
    })
  })

  test('of a packed file works in every format, from a path with spaces and letters beyond ASCII', async () => {
    const out = join(dirname(written('x', '')), 'pâcked up')
    expect(
      (await jexo('pack', written('hives.kit.ts', secretKit.replace('secret: true', "default: 'k'")), '--out', out))
        .code,
    ).toBe(0)
    for (const shape of shapeNames) {
      const { name } = files[shape]
      const file = written(name, files[shape].text)
      const ran = await jexo('attach', join(out, 'hives.mjs'), '--to', file)
      expect(ran).toMatchObject({
        code: 0,
        stderr: expect.stringMatching(
          /tried it: my-hives\.v2 1 responds: 1 tool,.*\n.*Restart or refresh the host/,
        ),
      })
      expect(await jexo('call', `${file}#hives`, 'length')).toMatchObject({ code: 0, stdout: '1\n' })
    }
  })
})

describe('comments stay with their entry', () => {
  const jsonc = `{
  // of the file
  "mcpServers": {
    // first
    "a": { "command": "/a" }, // behind a
    /* of b,
       in two lines */
    // and again
    "b": {
      // the program
      "command": "/b", // where it is
      "args": ["x"],
      "env": { "OLD": "1" }
    }, // behind b

    // apart
    "c": { "command": "/c" } // behind c
  }
}
`
  const shape = shapeOf('a.jsonc', jsonc)

  test.each<[string, string, string[], string[]]>([
    [
      'the first',
      'a',
      ['// first', '// behind a'],
      ['/* of b', '// and again', '// behind b', '// apart', '// behind c'],
    ],
    [
      'one between',
      'b',
      ['/* of b', '// and again', '// the program', '// behind b'],
      ['// first', '// behind a', '// apart', '// behind c'],
    ],
    ['the last', 'c', ['// apart', '// behind c'], ['// behind a', '/* of b', '// behind b']],
  ])('JSON: %s is removed with its comments', (_what, name, gone, kept) => {
    const after = shape.remove('a.jsonc', jsonc, name)
    for (const comment of gone) expect(after).not.toContain(comment)
    for (const comment of [...kept, '// of the file']) expect(after).toContain(comment)
    // Without the comments it is JSON.
    const servers = JSON.parse(after.replace(/\/\*[\s\S]*?\*\/|\/\/.*$/gm, '')).mcpServers
    expect(Object.keys(servers)).toStrictEqual(['a', 'b', 'c'].filter((other) => other !== name))
  })

  test('JSON: an entry is added behind the last comment, and changed field by field', () => {
    const added = shape.put('a.jsonc', jsonc, 'd', { command: '/d', args: ['y'] })
    expect(added).toContain('"c": { "command": "/c" }, // behind c\n    "d": {\n      "command": "/d",')
    const changed = shape.put('a.jsonc', jsonc, 'b', { command: '/b', args: ['z'], cwd: '/' })
    expect(changed).toContain('// the program\n      "command": "/b", // where it is\n      "args": [')
    expect(changed).not.toContain('OLD')
    expect(shape.read('a.jsonc', changed)?.servers.b).toStrictEqual({ command: '/b', args: ['z'], cwd: '/' })
  })

  test('TOML and YAML', () => {
    const toml =
      '# of the file\n\n# of a\n[mcp_servers.a] # behind a\n# inside\ncommand = "/a"\n\n# of b\n[mcp_servers.b]\ncommand = "/b"\n'
    const tables = shapeOf('a.toml', toml)
    expect(tables.remove('a.toml', toml, 'a')).toBe('# of the file\n\n# of b\n[mcp_servers.b]\ncommand = "/b"\n')
    expect(tables.put('a.toml', toml, 'a', { command: '/z' })).toContain(
      '# of a\n[mcp_servers.a] # behind a\n# inside\ncommand = "/z"\n',
    )
    const yaml =
      '# of the file\nmcpServers:\n  # of a\n  - name: a\n    command: /a\n  # of b\n  - name: b\n    command: /b\n'
    const list = shapeOf('a.yaml', yaml)
    expect(list.remove('a.yaml', yaml, 'a')).toBe(
      '# of the file\nmcpServers:\n  # of b\n  - name: b\n    command: /b\n',
    )
    expect(list.remove('a.yaml', yaml, 'b')).not.toContain('# of b')
  })
})
