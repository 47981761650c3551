import { spawnSync } from 'node:child_process'
import { chmodSync, cpSync, existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { connect } from 'jexo/node'
import { parse, parseAllDocuments } from 'yaml'
import {
  apiary,
  bin,
  hello,
  jexo,
  newFolder,
  Running,
  ready,
  root,
  run,
  speak,
  weigh,
  written,
} from '../support/cli.js'
import { freePort } from '../support/databases.js'

afterAll(() => Running.endAll())

const kitText = `import { defineKit, setting, tool } from 'jexo'
const fail = tool('fail', { about: 'Fails.', effect: 'read', run() {
  throw new Error('no honey')
} })
const site = tool('site', { about: 'The site.', effect: 'read', run: (_, call) => call.settings.SITE })
export default defineKit({ name: 'marsh-hives', version: '1.2.3', about: 'Hives of the marsh.', parts: [fail, site],
  settings: { SITE: setting({ about: 'Site to tell of.' }), KEY: setting({ about: 'Key.', secret: true, optional: true }), UNIT: setting({ about: 'Unit.', default: 'kg' }) } })`

/** Packs a kit in a form; returns its folder and what was said. */
async function packed(form: string, kit: string, ...more: string[]) {
  const out = join(newFolder(), 'öut')
  const ran = await jexo('pack', kit, '--as', form, '--out', out, ...more)
  const text = (name: string) => readFileSync(join(out, name), 'utf8')
  return { out, ran, text }
}

/** What the published schemas say of objects; a module that Jest cannot load in its own way. */
async function faultsOf(objects: unknown[]): Promise<string[]> {
  const script = `
    import * as apps from 'kubernetes-models/apps/v1'
    import * as core from 'kubernetes-models/v1'
    const faults = JSON.parse(process.argv[1]).flatMap((object) => {
      try { new { ...core, ...apps }[object.kind](object).validate(); return [] } catch (error) { return [error.message] }
    })
    console.log(JSON.stringify(faults))`
  const ran = await run(process.execPath, ['--input-type=module', '-e', script, JSON.stringify(objects)])
  return JSON.parse(ran.stdout)
}

const bare = { PATH: '/nowhere' }

describe('a packed file', () => {
  test('is the same, and its map too, from wherever and whenever it is packed', async () => {
    const [one, other] = [join(newFolder(), 'a'), join(newFolder(), 'deep é', 'er')]
    for (const folder of [one, other]) cpSync(join(root, 'examples/apiary'), folder, { recursive: true })
    const outs: string[] = []
    for (const [cwd, kit] of [
      [one, 'apiary.kit.ts'],
      [root, join(other, 'apiary.kit.ts')],
    ] as const) {
      const out = newFolder()
      const ran = await run(process.execPath, [bin, 'pack', kit, '--out', out], { cwd })
      expect(ran.code).toBe(0)
      outs.push(out)
    }
    for (const name of ['apiary.mjs', 'apiary.mjs.map']) {
      const [first, second] = outs.map((out) => readFileSync(join(out, name), 'utf8'))
      expect(first === second).toBe(true)
      expect(first).not.toContain(root)
    }
  })

  test('serves on both transports from an empty folder with nothing but Node, and knows its options', async () => {
    const { out, ran } = await packed('file', apiary)
    expect(ran).toMatchObject({
      code: 0,
      stderr: expect.stringMatching(/size +\d+ kB[\s\S]*inside +[\s\S]*fieldguide/),
    })
    const empty = newFolder()
    cpSync(join(out, 'apiary.mjs'), join(empty, 'apiary.mjs'))
    const spoken = await speak(['apiary.mjs'], [hello('2025-11-25'), ready, weigh(1)], { cwd: empty, env: bare })
    expect(spoken.lines.at(-1)).toMatchObject({ id: 1, result: { structuredContent: { kg: expect.any(Number) } } })
    const port = await freePort()
    const serving = new Running(['apiary.mjs', '--http', '--path', '/bees'], {
      cwd: empty,
      env: { ...bare, JEXO_PORT: String(port), JEXO_LOG: 'json' },
    })
    await serving.until(new RegExp(`"url":"http://127\\.0\\.0\\.1:${port}/bees"`))
    const link = await connect(`http://127.0.0.1:${port}/bees`)
    expect(await link.tools()).toHaveLength(23)
    await link.close()
    expect(await serving.end('SIGTERM')).toBe(0)
    const help = await run(process.execPath, ['apiary.mjs', '--help'], { cwd: empty, env: bare })
    expect(help.stderr).toMatch(/--require-host[\s\S]*Settings, from the environment:[\s\S]*APIARY_SITE/)
    const wrong = await run(process.execPath, ['apiary.mjs', '--htp'], { cwd: empty, env: bare })
    expect(wrong).toMatchObject({ code: 2, stderr: expect.stringContaining('the arguments that --help names') })
  })

  test('tells of a failure by the lines of its author, and reads variables from files', async () => {
    const { out } = await packed('file', written('hives.kit.ts', kitText))
    const file = join(out, 'hives.mjs')
    const call = (id: number, name: string) => ({ jsonrpc: '2.0', id, method: 'tools/call', params: { name } })
    const without = await run(process.execPath, [file], { env: bare })
    expect(without).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('a setting is missing: SITE (Site to tell of)'),
    })
    writeFileSync(join(out, '.env'), "SITE='Quarry Field'\n")
    const spoken = await speak([file], [hello('2025-11-25'), ready, call(1, 'fail'), call(2, 'site')], {
      env: bare,
    })
    expect(spoken.stderr).toMatch(/Error: no honey\n {4}at .*hives\.kit\.ts:3:\d+\)?\n(?! {4}at .*mjs)/)
    expect(spoken.lines.find(({ id }) => id === 2)).toMatchObject({
      result: { content: [{ text: 'Quarry Field' }] },
    })
    const named = written('other.env', 'SITE=Orchard End')
    const other = await speak([file, '--env-from', named], [hello('2025-11-25'), ready, call(2, 'site')], {
      env: bare,
    })
    expect(other.lines.at(-1)).toMatchObject({ result: { content: [{ text: 'Orchard End' }] } })
    const missing = await run(process.execPath, [file, '--env-from', 'none.env'], { env: bare })
    expect(missing).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(/none\.env: it cannot be read \(ENOENT\)/),
    })
  })
})

describe('the forms of pack', () => {
  test('npm: a package that npx runs from its tarball', async () => {
    const { ran, text, out } = await packed(
      'npm',
      written('hives.kit.ts', kitText),
      '--package-name',
      '@marsh-lane/hives',
    )
    expect(ran).toMatchObject({
      code: 0,
      stderr: expect.stringMatching(/tried\s+.*marsh-lane-hives-1\.2\.3\.tgz[\s\S]* runs\s+by\s+npx:\s+2\s+tools/),
    })
    expect(JSON.parse(text('package.json'))).toMatchObject({
      name: '@marsh-lane/hives',
      version: '1.2.3',
      bin: { hives: 'hives.mjs' },
    })
    expect(text('README.md')).toMatch(/\| `SITE` \| Site to tell of\. \| required \|/)
    const wrong = await jexo('pack', join(out, '../none.kit.ts'), '--as', 'npm')
    expect(wrong.code).toBe(2)
  })

  test('container: not root, nothing to write, well by its health check, and only under a name', async () => {
    const { out, text } = await packed('container', written('hives.kit.ts', kitText))
    const lines = text('Containerfile').split('\n')
    const variables = /^ENV (.*)$/m.exec(text('Containerfile'))?.[1] ?? ''
    expect(lines).toEqual(expect.arrayContaining(['USER node', 'STOPSIGNAL SIGTERM', 'CMD ["--http"]']))
    const compose = parse(text('compose.yaml'))
    expect(compose.services['marsh-hives']).toMatchObject({ read_only: true, cap_drop: ['ALL'], tmpfs: ['/tmp'] })
    expect(compose.services.redis).toMatchObject({ profiles: ['redis'] })
    expect(text('.dockerignore')).toBe('*\n!hives.mjs\n!hives.mjs.map\n')
    expect(text('.env.example')).toMatch(/JEXO_PUBLIC_URL=\n[\s\S]*JEXO_TOKEN=/)
    // What the image would start, with its variables, from a folder that may not be written to.
    const app = newFolder()
    for (const name of ['hives.mjs', 'hives.mjs.map']) cpSync(join(out, name), join(app, name))
    chmodSync(app, 0o555)
    const port = await freePort()
    const given = Object.fromEntries(variables.split(' ').map((pair) => pair.split('=') as [string, string]))
    const env = { PATH: '/nowhere', ...given, JEXO_PORT: String(port), SITE: 'Marsh Lane' }
    const command = [
      ...JSON.parse(/^ENTRYPOINT (.*)$/m.exec(text('Containerfile'))?.[1] ?? '[]').slice(1),
      '--http',
    ].map((word: string) => word.replace('/app', app))
    const nameless = await run(process.execPath, command, { env: { ...env, JEXO_TOKEN: 't' } })
    expect(nameless).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('this server refuses unknown host names'),
    })
    const open = await run(process.execPath, command, {
      env: { ...env, JEXO_PUBLIC_URL: 'https://hives.example/mcp' },
    })
    expect(open).toMatchObject({ code: 2, stderr: expect.stringContaining('nothing checks who calls') })
    const serving = new Running(command, {
      env: { ...env, JEXO_TOKEN: 't', JEXO_PUBLIC_URL: 'https://hives.example/mcp' },
    })
    await serving.until(/"msg":"marsh-hives 1\.2\.3 at https:\/\/hives\.example\/mcp/)
    const check = JSON.parse(/CMD (\["node", "-e".*\])/.exec(text('Containerfile'))?.[1] ?? '[]')[2].replace(
      '4870',
      String(port),
    )
    expect((await run(process.execPath, ['-e', check])).code).toBe(0)
    expect(await serving.end('SIGTERM')).toBe(0)
    expect((await run(process.execPath, ['-e', check])).code).toBe(1)
  })

  test('service: a unit that systemd takes, and that may do little', async () => {
    const { out } = await packed('service', written('hives.kit.ts', kitText))
    const program = process.env.JEXO_SYSTEMD_ANALYZE ?? '/usr/bin/systemd-analyze'
    const unit = join(newFolder(), 'marsh-hives.service')
    // Node is where it is on this machine.
    writeFileSync(
      unit,
      readFileSync(join(out, 'marsh-hives.service'), 'utf8').replace('/usr/bin/node', process.execPath),
    )
    const verified = spawnSync(program, ['verify', unit], { encoding: 'utf8' })
    expect(verified).toMatchObject({ status: 0, stderr: '' })
    const exposed = spawnSync(program, ['security', '--offline=true', unit], { encoding: 'utf8' })
    expect(Number(/exposure level for .*?: ([\d.]+)/.exec(exposed.stdout)?.[1])).toBeLessThan(2.5)
  })

  test('kubernetes: objects that the published schemas take', async () => {
    const { text, ran } = await packed(
      'kubernetes',
      written('hives.kit.ts', kitText),
      '--image',
      'registry.example/hives:1',
    )
    expect(ran.code).toBe(0)
    const objects = parseAllDocuments(text('kubernetes.yaml')).map((document) => document.toJS())
    expect(objects.map(({ kind }) => kind)).toEqual(['ConfigMap', 'Secret', 'Deployment', 'Service'])
    expect(await faultsOf(objects)).toEqual([])
    expect(await faultsOf([{ apiVersion: 'v1', kind: 'Service', spec: { ports: 'none' } }])).toHaveLength(1)
    expect(objects[0].data).toEqual({ JEXO_PUBLIC_URL: '', SITE: '', UNIT: 'kg' })
    expect(objects[1].stringData).toEqual({ JEXO_TOKEN: '', KEY: '' })
    const [container] = objects[2].spec.template.spec.containers
    expect(container).toMatchObject({
      image: 'registry.example/hives:1',
      readinessProbe: { httpGet: { path: '/health/ready' } },
    })
  })

  test('registry: the descriptor, by a name that was given or follows from the site', async () => {
    const kit = written('hives.kit.ts', kitText)
    const { text, ran } = await packed(
      'registry',
      kit,
      '--registry-name',
      'example.marsh/hives',
      '--public-url',
      'https://marsh.example/mcp',
    )
    expect(ran.code).toBe(0)
    expect(JSON.parse(text('server.json'))).toMatchObject({
      name: 'example.marsh/hives',
      version: '1.2.3',
      packages: [
        {
          ...{ registryType: 'npm', identifier: 'marsh-hives', version: '1.2.3', transport: { type: 'stdio' } },
          environmentVariables: [
            { name: 'SITE', description: 'Site to tell of.', isRequired: true, isSecret: false },
            { name: 'KEY', isRequired: false, isSecret: true },
            { name: 'UNIT', default: 'kg' },
          ],
        },
      ],
      remotes: [{ type: 'streamable-http', url: 'https://marsh.example/mcp' }],
    })
    const site = written(
      'site.kit.ts',
      kitText.replace("about: 'Hives of", "websiteUrl: 'https://www.marsh.example', about: 'Hives of"),
    )
    expect(JSON.parse((await packed('registry', site)).text('server.json')).name).toBe('example.marsh/marsh-hives')
  })

  test('what cannot be made is said, and nothing is written', async () => {
    const kit = written('hives.kit.ts', kitText)
    const file = written('in-the-way', '')
    const rows: [string[], RegExp][] = [
      [['--as', 'registry'], /give --registry-name/],
      [['--as', 'npm', '--package-name', 'No Good'], /the package name "No Good" is not valid/],
      [['--as', 'sled'], /Allowed choices are file, npm/],
    ]
    for (const [words, said] of rows) {
      const out = join(newFolder(), 'out')
      const ran = await jexo('pack', kit, '--out', out, ...words)
      expect(ran).toMatchObject({ code: 2, stderr: expect.stringMatching(said) })
      expect(existsSync(out)).toBe(false)
    }
    const ran = await jexo('pack', kit, '--out', join(file, 'x'))
    expect(ran).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(/the folder is not writable \(ENOTDIR\)/),
    })
  })
})
