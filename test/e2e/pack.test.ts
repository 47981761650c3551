import { spawnSync } from 'node:child_process'
import { cpSync, existsSync, mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { connect } from 'jexo/node'
import { parse, parseAllDocuments } from 'yaml'
import {
  apiary,
  hello,
  jexo,
  jexoIn,
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
import { buildah, inContainer, makeBaseImage } from '../support/image.js'
import { redisServer } from '../support/redis.js'

afterAll(() => Running.endAll())

const kitText = `import { defineKit, setting, tool } from 'jexo'
const fail = tool('fail', { about: 'Fails.', effect: 'read', run() {
  throw new Error('no honey')
} })
const site = tool('site', { about: 'The site.', effect: 'read', run: (_, call) => call.settings.SITE })
export default defineKit({ name: 'marsh-hives', version: '1.2.3', about: 'Hives of the marsh.', parts: [fail, site],
  settings: { SITE: setting({ about: 'Site to tell of.' }), KEY: setting({ about: 'Key.', secret: true, optional: true }), UNIT: setting({ about: 'Unit.', default: 'kg' }) } })`

/** Packs a kit in a format; returns its folder and the output. */
async function packed(form: string, kit: string, ...more: string[]) {
  const out = join(newFolder(), 'öut')
  const ran = await jexo('pack', kit, '--as', form, '--out', out, ...more)
  const text = (name: string) => readFileSync(join(out, name), 'utf8')
  return { out, ran, text }
}

/** Checks objects against the published schemas; a module that Jest cannot load. */
async function faultsOf(objects: unknown[]): Promise<string[]> {
  const script = `
    import * as apps from 'kubernetes-models/apps/v1'
    import * as core from 'kubernetes-models/v1'
    import * as policy from 'kubernetes-models/policy/v1'
    const faults = JSON.parse(process.argv[1]).flatMap((object) => {
      try { new { ...core, ...apps, ...policy }[object.kind](object).validate(); return [] } catch (error) { return [error.message] }
    })
    console.log(JSON.stringify(faults))`
  const ran = await run(process.execPath, ['--input-type=module', '-e', script, JSON.stringify(objects)])
  return JSON.parse(ran.stdout)
}

interface Formed {
  service: Record<string, string>
  kubernetes: Record<string, string>
  registry: Record<string, string>
  fromSite: Record<string, string>
  refusals: string[]
}
let formed: Promise<Formed> | undefined
/** The texts of several forms of one packed kit, by their paths; packing it for each form would take longer. */
const textsOfForms = (): Promise<Formed> => (formed ??= makeForms())
async function makeForms(): Promise<Formed> {
  const script = `
    import { writeFileSync } from 'node:fs'
    import { forms, packKit } from 'jexo/pack'
    const packed = await packKit(process.argv[1])
    const textsOf = (files) =>
      Object.fromEntries(files.flatMap(({ path, text }) => (path.includes('.mjs') ? [] : [[path, text]])))
    const fromSite = { ...packed, kit: { ...packed.kit, websiteUrl: 'https://www.marsh.example' } }
    const refusalOf = (make) => { try { return String(make()) } catch ({ message }) { return message } }
    // A loaded kit keeps other output from stdout.
    writeFileSync(1, JSON.stringify({
      service: textsOf(forms.service.files(packed, {})),
      kubernetes: textsOf(forms.kubernetes.files(packed, { image: 'registry.example/hives:1' })),
      registry: textsOf(forms.registry.files(packed, { registryName: 'example.marsh/hives', publicUrl: 'https://marsh.example/mcp' })),
      fromSite: textsOf(forms.registry.files(fromSite, {})),
      refusals: [
        refusalOf(() => forms.npm.files(packed, { packageName: 'No Good' })),
        refusalOf(() => forms.registry.files(packed, {})),
      ],
    }))`
  const ran = await run(process.execPath, ['--input-type=module', '-e', script, written('hives.kit.ts', kitText)])
  expect(ran).toMatchObject({ code: 0, stderr: '' })
  return JSON.parse(ran.stdout)
}

const bare = { PATH: '/nowhere' }

describe('a packed file', () => {
  test('is identical, with its source map, wherever and whenever it is packed', async () => {
    const [one, other] = [join(newFolder(), 'a'), join(newFolder(), 'deep é', 'er')]
    for (const folder of [one, other]) {
      mkdirSync(folder, { recursive: true })
      for (const name of ['colony.ts', 'fieldguide'])
        cpSync(join(root, 'examples/apiary', name), join(folder, name), { recursive: true })
      writeFileSync(
        join(folder, 'colony.kit.ts'),
        `import { defineKit } from 'jexo'
import { wrapFolder } from 'jexo/folder'
import { wrapModule } from 'jexo/module'
const guide = await wrapFolder(new URL('./fieldguide/', import.meta.url), { about: 'Pages on bees.' })
export default defineKit({ name: 'colony', version: '1', parts: [...(await wrapModule(new URL('./colony.ts', import.meta.url))), ...guide] })`,
      )
    }
    const outs: string[] = []
    for (const [folder, kit] of [
      [one, 'colony.kit.ts'],
      [root, join(other, 'colony.kit.ts')],
    ] as const) {
      const out = newFolder()
      expect((await jexoIn(folder, 'pack', kit, '--out', out)).code).toBe(0)
      outs.push(out)
    }
    for (const name of ['colony.mjs', 'colony.mjs.map']) {
      const [first, second] = outs.map((out) => readFileSync(join(out, name), 'utf8'))
      expect(first === second).toBe(true)
      expect(first).not.toContain(root)
    }
  })

  test('serves on both transports from an empty folder with only Node', async () => {
    const { out, ran } = await packed('file', apiary)
    expect(ran).toMatchObject({
      code: 0,
      stderr: expect.stringMatching(/size +\d+ kB[\s\S]*inside +[\s\S]*fieldguide/),
    })
    // Every kind of source is in it, and no path of this machine.
    for (const name of ['apiary.mjs', 'apiary.mjs.map'])
      expect(readFileSync(join(out, name), 'utf8').includes(root)).toBe(false)
    const empty = newFolder()
    cpSync(join(out, 'apiary.mjs'), join(empty, 'apiary.mjs'))
    const guide = { jsonrpc: '2.0', id: 4, method: 'resources/read', params: { uri: 'fieldguide://varroa.md' } }
    const spoken = await speak(['apiary.mjs'], [hello('2025-11-25'), ready, guide, weigh(1)], {
      cwd: empty,
      env: bare,
    })
    expect(JSON.stringify(spoken.lines)).toContain('The mite is in every hive')
    expect(spoken.lines.find(({ id }) => id === 1)).toMatchObject({
      id: 1,
      result: { structuredContent: { kg: expect.any(Number) } },
    })
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
  })

  test('has options, reports an error with the lines of the source, and reads variables from files', async () => {
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
    const help = await run(process.execPath, [file, '--help'], { env: bare })
    expect(help.stderr).toMatch(/--require-host[\s\S]*Settings, from the environment:[\s\S]*SITE/)
    const mistyped = await run(process.execPath, [file, '--htp'], { env: bare })
    expect(mistyped).toMatchObject({ code: 2, stderr: expect.stringContaining('the arguments that --help names') })
    const missing = await run(process.execPath, [file, '--env-from', 'none.env'], { env: bare })
    expect(missing).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(/none\.env: it cannot be read \(ENOENT\)/),
    })
  })
})

/** A project whose modules find files beside them in every usual way. */
const project = {
  'desk.kit.ts': `import { existsSync, readFileSync, readdirSync } from 'node:fs'
    import { dirname, join } from 'node:path'
    import { fileURLToPath } from 'node:url'
    import { defineKit, tool } from 'jexo'
    import Database from 'libsql'
    import helper from './lib/helper.cjs'
    const here = dirname(fileURLToPath(import.meta.url))
    const notes = join(here, 'notes')
    const read = (name, run) => tool(name, { about: 'Reads ' + name + '.', effect: 'read', run })
    export default defineKit({ name: 'desk', version: '1.0.0', about: 'A desk.', parts: [
      read('file', () => readFileSync(join(here, 'data.txt'), 'utf8') + existsSync(join(here, '.keys', 'private.txt'))),
      read('folder', () => readdirSync(notes).join()),
      read('common', () => helper()),
      read('native', () => String(new Database(':memory:').prepare('select 41 + 1 as n').get().n)),
      read('computed', async () => (await import(\`./tools/\${'one'}.ts\`)).one()),
    ] })`,
  'lib/helper.cjs': `const path = require('node:path')
    const place = { __filename }
    module.exports = () => require('node:fs').readFileSync(path.join(__dirname, '..', 'up.txt'), 'utf8') + path.basename(place.__filename)`,
  'tools/one.ts': `export const one = () => 'one'`,
  'data.txt': 'data',
  'up.txt': 'up ',
  'notes/a.md': 'a',
  'notes/.env': 'KEY=secret-value',
  '.keys/private.txt': 'secret-value',
}

function projectOf(files: Record<string, string>): string {
  const folder = newFolder()
  for (const [name, text] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, name)), { recursive: true })
    writeFileSync(join(folder, name), text)
  }
  // Packages of the author are found from the author's folder.
  if (!existsSync(join(folder, 'node_modules')))
    symlinkSync(join(root, 'node_modules'), join(folder, 'node_modules'))
  return folder
}

test('files that modules find beside themselves, and native packages, are included', async () => {
  const folder = projectOf(project)
  const { out, ran, text } = await packed('file', join(folder, 'desk.kit.ts'))
  expect(ran).toMatchObject({
    code: 0,
    stderr: expect.stringMatching(
      /inside +data\.txt, notes\/a\.md, up\.txt\n +native +libsql:[\s\S]*tried +starts in an empty folder: 5 tools/,
    ),
  })
  expect(text('desk.mjs')).not.toContain(Buffer.from('secret-value').toString('base64'))
  const empty = newFolder()
  cpSync(join(out, 'desk.mjs'), join(empty, 'desk.mjs'))
  const link = await connect({ command: process.execPath, args: ['desk.mjs'], cwd: empty, env: bare })
  const said = await Promise.all(['file', 'folder', 'common', 'native', 'computed'].map((name) => link.call(name)))
  expect(said.flatMap(({ content }) => content)).toMatchObject(
    ['datafalse', 'a.md', 'up helper.cjs', '42', 'one'].map((text) => ({ text })),
  )
  await link.close()
})

test('a kit that would not run is not packed, and the reason is printed', async () => {
  const folder = projectOf({
    'a.kit.ts': `import { readdirSync, readFileSync } from 'node:fs'
      import { join } from 'node:path'
      import { pathToFileURL } from 'node:url'
      import { defineKit, setting } from 'jexo'
      const tools = join(import.meta.dirname, 'tools')
      for (const name of readdirSync(tools)) await import(pathToFileURL(join(tools, name)).href)
      const read = (name: string) => readFileSync(join(import.meta.dirname, name))
      export default defineKit({ name: 'a', version: '1.0.0', about: 'A.', parts: [], settings: { KEY: setting({ about: 'Key.' }) } })`,
    'tools/one.ts': 'export const one: number = 1',
  })
  const { out, ran } = await packed('file', join(folder, 'a.kit.ts'))
  expect(ran).toMatchObject({
    code: 1,
    stderr: expect.stringMatching(
      /warning a\.kit\.ts:7: join\(import\.meta\.dirname, name\) computes a path[\s\S]*does not run in an empty folder \(the server ended with code 2, saying: .*\.ts.* for tools\/one\.ts\); import modules by their names[\s\S]*set "KEY", which had made-up values/,
    ),
  })
  expect(existsSync(out)).toBe(false)
})

test('the compose file has Redis for shared sessions, and for a kit with a Redis client', async () => {
  const folder = projectOf({
    'a.kit.ts': kitText
      .replace("from 'jexo'", "from 'jexo'\nimport Redis from 'ioredis'\nglobalThis.redis = Redis")
      .replace('settings: {', "settings: { QUEUE: setting({ about: 'Queue.', default: 'redis://localhost' }),"),
    'node_modules/ioredis/package.json': '{"name":"ioredis","version":"1.0.0"}',
    'node_modules/ioredis/index.js': 'module.exports = class {}',
  })
  const { text } = await packed('container', join(folder, 'a.kit.ts'))
  const { services } = parse(text('compose.yaml'))
  expect(services['marsh-hives']).toMatchObject({
    depends_on: { redis: { condition: 'service_healthy' } },
    environment: { JEXO_STORE: 'redis://redis:6379', QUEUE: 'redis://redis:6379' },
  })
  expect(services.redis).toMatchObject({ read_only: true, cap_drop: ['ALL'] })
})

describe('the formats of pack', () => {
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

  test('container: not root, read-only, with a health check, and under its host name only', async () => {
    const names = ['--image', 'registry.example/hives:1', '--public-url', 'https://hives.example/mcp']
    const { out, text } = await packed('container', written('hives.kit.ts', kitText), ...names)
    const lines = text('Containerfile').split('\n')
    expect(lines).toStrictEqual(expect.arrayContaining(['USER node', 'STOPSIGNAL SIGTERM', 'CMD ["--http"]']))
    const compose = parse(text('compose.yaml'))
    expect(compose.services['marsh-hives']).toMatchObject({
      image: 'registry.example/hives:1',
      read_only: true,
      cap_drop: ['ALL'],
      tmpfs: ['/tmp'],
    })
    expect(Object.keys(compose.services)).toStrictEqual(['marsh-hives', 'redis'])
    expect(text('.dockerignore')).toBe('*\n!hives.mjs\n!hives.mjs.map\n')
    expect(text('.env.example')).toMatch(/JEXO_PUBLIC_URL=https:\/\/hives\.example\/mcp\n[\s\S]*JEXO_TOKEN=/)
    makeBaseImage(/^FROM (.*)$/m.exec(text('Containerfile'))?.[1] ?? '')
    buildah(
      'bud',
      '--isolation',
      'chroot',
      '--pull-never',
      '--format',
      'docker',
      '--tag',
      'hives:1',
      '-f',
      join(out, 'Containerfile'),
      out,
    )
    const image = JSON.parse(buildah('inspect', '--type', 'image', 'hives:1')).Docker
    expect(image.config).toMatchObject({ User: 'node', StopSignal: 'SIGTERM', Cmd: ['--http'] })
    expect(JSON.stringify(image.history)).not.toContain('TOKEN')
    const container = buildah('from', '--pull-never', 'hives:1')
    const port = await freePort()
    const command = [...image.config.Entrypoint, ...image.config.Cmd]
    const started = (variables: Record<string, string>) =>
      inContainer(container, { JEXO_PORT: String(port), SITE: 'Marsh Lane', ...variables }, command)
    const runIn = ([program = '', ...args]: string[]) => run(program, args)
    expect(await runIn(started({ JEXO_TOKEN: 't' }))).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('this server refuses unknown host names'),
    })
    const publicUrl = 'https://hives.example/mcp'
    expect(await runIn(started({ JEXO_PUBLIC_URL: publicUrl }))).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('requires no authentication'),
    })
    // As in the compose file: with Redis, and the variables that name it.
    const [, ...flags] = compose.services.redis.command
    const redis = await redisServer(...flags)
    const sharing = { JEXO_STORE: redis.url, JEXO_WORKERS: '2' }
    const [program = '', ...args] = started({ JEXO_TOKEN: 't', JEXO_PUBLIC_URL: publicUrl, ...sharing })
    const serving = new Running(args, {}, program)
    const [, pid] = await serving.until(
      /"pid":(\d+).*"msg":"marsh-hives 1\.2\.3 at https:\/\/hives\.example\/mcp.*, 2 processes/,
    )
    const headers = { authorization: 'Bearer t', host: 'hives.example' }
    const link = await connect(`http://127.0.0.1:${port}/mcp`, {
      headers: { authorization: headers.authorization },
    })
    expect((await link.call('site')).content).toMatchObject([{ text: 'Marsh Lane' }])
    expect(await redis.command('ZCARD', 'jexo:marsh-hives:sessions')).toBe(':1\r\n')
    const inside = await runIn(inContainer(container, {}, ['sh', '-c', 'id; touch /app/x']))
    expect([inside.stdout, inside.stderr]).toStrictEqual([
      expect.stringContaining('uid=1000(node)'),
      expect.stringContaining('Permission denied'),
    ])
    const check = image.config.Healthcheck.Test.slice(1).map((word: string) => word.replace('4870', String(port)))
    expect((await runIn(inContainer(container, {}, check))).code).toBe(0)
    await link.close()
    process.kill(Number(pid), 'SIGTERM')
    await serving.until(/SIGTERM: finishing running calls/)
    await new Promise((ended) => serving.child.once('close', ended))
    expect((await runIn(inContainer(container, {}, check))).code).not.toBe(0)
    await redis.remove()
  })

  test('service: a unit that systemd accepts, with few permissions', async () => {
    const { service } = await textsOfForms()
    const program = process.env.JEXO_SYSTEMD_ANALYZE ?? '/usr/bin/systemd-analyze'
    const unit = join(newFolder(), 'marsh-hives.service')
    // The path of Node on this machine.
    writeFileSync(unit, (service['marsh-hives.service'] ?? '').replace('/usr/bin/node', process.execPath))
    const verified = spawnSync(program, ['verify', unit], { encoding: 'utf8' })
    expect(verified).toMatchObject({ status: 0, stderr: '' })
    const exposed = spawnSync(program, ['security', '--offline=true', unit], { encoding: 'utf8' })
    expect(Number(/exposure level for .*?: ([\d.]+)/.exec(exposed.stdout)?.[1])).toBeLessThan(2.5)
  })

  test('kubernetes: objects that match the published schemas', async () => {
    const { kubernetes } = await textsOfForms()
    const objects = parseAllDocuments(kubernetes['kubernetes.yaml'] ?? '').map((document) => document.toJS())
    expect(objects.map(({ kind }) => kind)).toStrictEqual([
      ...['ConfigMap', 'Secret', 'Deployment', 'Service'],
      ...['PodDisruptionBudget', 'Service', 'StatefulSet'],
    ])
    expect(objects[2].spec.replicas).toBe(2)
    expect(objects[3].spec.sessionAffinity).toBeUndefined()
    expect(await faultsOf(objects)).toStrictEqual([])
    expect(await faultsOf([{ apiVersion: 'v1', kind: 'Service', spec: { ports: 'none' } }])).toHaveLength(1)
    expect(objects[0].data).toStrictEqual({
      JEXO_PUBLIC_URL: '',
      JEXO_ISSUER: '',
      JEXO_SCOPES: '',
      JEXO_STORE: 'redis://marsh-hives-redis:6379',
      SITE: '',
      UNIT: 'kg',
    })
    expect(objects[1].stringData).toStrictEqual({ JEXO_TOKEN: '', KEY: '' })
    const [container] = objects[2].spec.template.spec.containers
    expect(container).toMatchObject({
      image: 'registry.example/hives:1',
      readinessProbe: { httpGet: { path: '/health/ready' } },
    })
  })

  test('registry: the descriptor, with a given name or one from the site', async () => {
    const { registry, fromSite } = await textsOfForms()
    expect(JSON.parse(registry['server.json'] ?? '')).toMatchObject({
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
    expect(JSON.parse(fromSite['server.json'] ?? '').name).toBe('example.marsh/marsh-hives')
  })

  test('a format that is not possible is reported, and nothing is written', async () => {
    const kit = written('hives.kit.ts', kitText)
    const file = written('in-the-way', '')
    const rows: [string[], RegExp][] = [
      [['--as', 'registry', '--registry-name', 'No Good'], /"No Good" is not a valid registry name/],
      [['--as', 'sled'], /Allowed choices are file, npm/],
    ]
    for (const [words, said] of rows) {
      const out = join(newFolder(), 'out')
      const ran = await jexo('pack', kit, '--out', out, ...words)
      expect(ran).toMatchObject({ code: 2, stderr: expect.stringMatching(said) })
      expect(existsSync(out)).toBe(false)
    }
    expect((await textsOfForms()).refusals).toStrictEqual([
      expect.stringContaining('the package name "No Good" is not valid'),
      expect.stringContaining('set --registry-name'),
    ])
    const ran = await jexo('pack', kit, '--out', join(file, 'x'))
    expect(ran).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(/the folder is not writable \(ENOTDIR\)/),
    })
  })
})
