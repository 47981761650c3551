import { copyFileSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import Ajv2020 from 'ajv/dist/2020.js'
import { bin, jexo, newFolder, Running, root, written } from '../support/cli.js'
import { Upstream } from '../support/upstream.js'

const description = join(root, 'examples/apiary/registry/registry.openapi.yaml')
afterAll(async () => {
  await Upstream.endAll()
  await Running.endAll()
})

describe('jexo wrap of an API', () => {
  test('prints the selected operations, required settings, skipped ones with the reason, and the context cost', async () => {
    const { stdout, stderr, code } = await jexo('wrap', description, '--setting-prefix', 'REGISTRY')
    expect(code).toBe(0)
    expect(stdout).toContain('Marsh Lane registry  ')
    expect(stdout).toContain('5 operations of 7')
    expect(stdout).toMatch(/get_hive\(hive\) {2}read {2}GET \/hives\/\{hive\}\n {4}One registered hive\./)
    expect(stdout).toMatch(/REGISTRY_URL {2}Base URL of Marsh Lane registry {2}default http:\/\/127\.0\.0\.1:4872/)
    expect(stdout).toMatch(/REGISTRY_API_KEY .* required/)
    expect(stdout).toMatch(/register_hive, retire_hive\n {4}writes data/)
    expect(stdout).toMatch(/About \d+ tokens as 5 tools; \d+ as a catalogue of three tools/)
    expect(stderr).toContain('Nothing was written')
  })

  test('prints the plan as JSON, which matches its schema', async () => {
    const schema = JSON.parse(readFileSync(join(root, 'schemas/rest-plan.schema.json'), 'utf8')) as object
    const check = new Ajv2020.default({ strict: false }).compile(schema)
    const page = written(
      'N.md',
      '```\ncurl -u a:b http://x.example/hives/7 -F photo=@a.png -F n=1\ncurl -d a=1 http://x.example/y?z=1\n```\n',
    )
    for (const source of [description, page]) {
      const plan = JSON.parse((await jexo('wrap', source, '--writes', '--json')).stdout)
      check(plan)
      expect(check.errors).toBeNull()
    }
  })

  test('writes a kit that names its operations, keeps to them, and reports when the description has changed', async () => {
    const folder = newFolder()
    const source = join(folder, 'registry.openapi.yaml')
    const kit = join(folder, 'registry.kit.ts')
    copyFileSync(description, source)
    const flags = ['--only', 'tag:hives,register_hive', '--setting-prefix', 'REGISTRY', '--out', kit]
    expect(await jexo('wrap', source, ...flags)).toMatchObject({ code: 0 })
    expect(readFileSync(kit, 'utf8')).toContain("    'register_hive', // POST /hives\n")
    const registry = await Upstream.start(() => ({ body: [] }))
    const environment = ['--env', `REGISTRY_URL=${registry.url}`, '--env', 'REGISTRY_API_KEY=wax-s3cret']
    const called = await jexo('call', kit, 'list_hives', 'site=Quarry Field', '--trace', '--json', ...environment)
    expect(JSON.parse(called.stdout)).toStrictEqual({ value: [] })
    expect(called.stderr).toContain(`asked  GET ${registry.url}/hives?site=Quarry%20Field`)
    expect(called.stderr).toMatch(/GET \/hives\?site=Quarry%20Field {2}200 · 2 bytes [\d.]+ m?s/)
    expect(called.stderr).not.toContain('s3cret')
    expect(registry.last.headers['x-registry-key']).toBe('wax-s3cret')
    expect((await jexo('show', kit)).stdout).toMatch(/REGISTRY_API_KEY .*\(required, not set\)/)
    expect((await jexo('show', kit, ...environment)).stdout).not.toContain('not set')
    const missing = await jexo('call', kit, 'list_hives')
    expect(missing).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(/REGISTRY_API_KEY \(Key of Marsh Lane registry/),
    })
    expect((await jexo('wrap', source, '--out', kit, '--check')).stdout).toContain('is up to date')
    const more = readFileSync(source, 'utf8')
      .replace('Where a hive stands,', 'In which row a hive stands,')
      .replace('operationId: seasonTable', 'operationId: season')
    writeFileSync(source, more)
    const moved = await jexo('wrap', source, '--out', kit, '--check')
    expect(moved.code).toBe(1)
    expect(moved.stdout.trim().split('\n')).toStrictEqual([
      '~ get_hive(hive)   (description)',
      '+ season()',
      '- season_table',
    ])
    writeFileSync(
      kit,
      `${readFileSync(kit, 'utf8').replace('tag:', 'tag:')}`.replace("version: '1.0.0'", "version: '2.0.0'"),
    )
    expect((await jexo('wrap', source, ...flags)).stderr).toMatch(/the file was edited after jexo wrap wrote it/)
  })

  test('is packed with its plan, and needs neither the description nor its parser at run time', async () => {
    const folder = newFolder()
    const source = join(folder, 'registry.openapi.yaml')
    const kit = join(folder, 'registry.kit.ts')
    copyFileSync(description, source)
    await jexo('wrap', source, '--setting-prefix', 'REGISTRY', '--out', kit)
    const packed = await jexo('pack', kit, '--out', join(folder, 'out'))
    expect(packed).toMatchObject({ code: 0 })
    writeFileSync(source, 'gone: true')
    const registry = await Upstream.start(() => ({ body: [{ id: 1, name: 'Ada Fenn' }] }))
    const environment = ['--env', `REGISTRY_URL=${registry.url}`, '--env', 'REGISTRY_API_KEY=wax']
    const called = await jexo(
      'call',
      `exec:node ${JSON.stringify(join(folder, 'out/registry.mjs'))}`,
      'list_members',
      '--json',
      ...environment,
    )
    expect(called.stderr + called.stdout).toContain('Ada Fenn')
  })

  test('wraps a large API as a catalogue, and prints the context cost of single tools', async () => {
    const large = join(root, 'node_modules/@octokit/openapi/generated/api.github.com.json')
    const { stdout, code } = await jexo('wrap', large)
    expect(code).toBe(0)
    expect(stdout).toMatch(/\d{3} as a catalogue of three tools; about 1\d\d,\d{3} tokens as 6\d\d tools/)
    expect((await jexo('wrap', large, '--only', 'issues_get,issues_create', '--json')).stdout).toMatch(
      /"form": "tools"/,
    )
  })

  test('finds the description of a running API, and curl lines in a page', async () => {
    const api = await Upstream.start(() => ({
      headers: { 'content-type': 'text/yaml' },
      body: readFileSync(description, 'utf8'),
    }))
    expect((await jexo('wrap', `${api.url}/openapi.yaml`)).stdout).toContain('5 operations of 7')
    const page = written(
      'NOTES.md',
      `Weigh a hive:\n\n\`\`\`sh\ncurl ${api.url}/hives/ML-04/weight -H "Authorization: Bearer tok-s3cret-0815"\n\`\`\`\n`,
    )
    const kit = page.replace('NOTES.md', 'notes.kit.ts')
    const { stdout } = await jexo('wrap', page, '--out', kit)
    expect(stdout).toContain('get_hives_weight_by_hive(hive?)')
    expect(stdout + readFileSync(kit, 'utf8')).not.toContain('s3cret')
    expect(
      (await jexo('call', kit, 'get_hives_weight_by_hive', 'hive=ML-07', '--env', 'API_TOKEN=other')).code,
    ).toBe(0)
    expect(api.last).toMatchObject({ target: '/hives/ML-07/weight', headers: { authorization: 'Bearer other' } })
    const folder = newFolder()
    await jexo('pack', kit, '--out', folder)
    const packed = readFileSync(join(folder, 'notes.mjs'), 'utf8')
    const assets = JSON.parse(/__jexoAssetContents=(\{.*?\});\n/.exec(packed)?.[1] ?? '{}') as Record<
      string,
      string
    >
    expect(Buffer.from(assets[`${'up/'.repeat(8)}NOTES.md`] ?? '', 'base64').toString()).toMatch(
      /^jexo:hollow [0-9a-f]{64}$/,
    )
    const flags = ['get_hives_weight_by_hive', 'hive=ML-09', '--env', 'API_TOKEN=third']
    expect((await jexo('call', `exec:node ${JSON.stringify(join(folder, 'notes.mjs'))}`, ...flags)).code).toBe(0)
    expect(api.last).toMatchObject({ target: '/hives/ML-09/weight', headers: { authorization: 'Bearer third' } })
  })

  test.each([
    [['no-such.yaml'], /no-such\.yaml: there is no such file/],
    [[written('x.yaml', 'a: 1')], /neither "openapi" nor "swagger"/],
    [[written('x.md', 'no command here')], /there is no curl command line/],
    [[description, '--only', 'get_hiv'], /did you mean "get_hive"/],
    [[description, '--only', 'tag:none'], /there is no part "tag:none"/],
    [[description, '--kind', 'soap'], /module, openapi, curl/],
    [[description, '--credential', 'magic'], /bearer, basic, header:NAME or query:NAME/],
  ])('refuses %j with the reason', async (args, reason) => {
    expect(await jexo('wrap', ...args)).toMatchObject({
      code: 2,
      stdout: '',
      stderr: expect.stringMatching(reason),
    })
  })
})

test('a Fastify API gains tools in its own process, from its own description', async () => {
  const kit = written(
    'orchard.kit.mjs',
    `import { createRequire } from 'node:module'
    import { defineKit } from 'jexo'
    import { fromInject, wrapOpenApi } from 'jexo/openapi'
    const require = createRequire(${JSON.stringify(join(root, 'package.json'))})
    const app = require('fastify')()
    await app.register(require('@fastify/swagger'), { openapi: { info: { title: 'Orchard', version: '1' } } })
    const row = { type: 'object', properties: { row: { type: 'integer' } } }
    const trees = { type: 'object', properties: { trees: { type: 'integer' } } }
    app.get('/trees/:row', { schema: { operationId: 'treesInRow', params: row, response: { 200: trees } } }, async ({ params }) => ({ trees: params.row * 10 }))
    const body = { type: 'object', required: ['kind'], properties: { kind: { type: 'string', pattern: '^(pear|plum)$' } } }
    app.post('/trees', { schema: { operationId: 'plant', body } }, async ({ body }, reply) => reply.code(201).send(body))
    app.delete('/trees/:row', { schema: { operationId: 'fell' } }, async (_request, reply) => reply.code(204).send())
    await app.ready()
    const parts = await wrapOpenApi(app.swagger(), { upstream: fromInject(app), writes: true })
    export default defineKit({ name: 'orchard', version: '1', parts })`,
  )
  expect((await jexo('call', kit, 'trees_in_row', 'row=4', '--json')).stdout).toBe('{\n  "trees": 40\n}\n')
  expect((await jexo('call', kit, 'plant', 'kind=plum')).stdout).toContain('{"kind":"plum"}')
  expect((await jexo('call', kit, 'fell', 'row=4')).stdout).toContain('returned 204 (no content)')
})

test('serve --watch notices an edit of the description', async () => {
  const folder = newFolder()
  const source = join(folder, 'registry.openapi.yaml')
  copyFileSync(description, source)
  const kit = join(folder, 'registry.kit.ts')
  writeFileSync(
    kit,
    `import { defineKit } from 'jexo'
    import { wrapOpenApi } from 'jexo/openapi'
    const parts = await wrapOpenApi(new URL('./registry.openapi.yaml', import.meta.url), { upstream: () => new Response() })
    export default defineKit({ name: 'registry', version: '1', parts })`,
  )
  const env = { ...process.env, MARSH_LANE_REGISTRY_API_KEY: 'k' } as Record<string, string>
  const server = new Running([bin, 'serve', kit, '--http', '0', '--watch'], { env })
  await server.until(/http:\S+/)
  writeFileSync(source, readFileSync(source, 'utf8').replace('operationId: seasonTable', 'operationId: season'))
  await server.until(/reloaded: new tool season, gone tool season_table/)
  await server.end()
})

test('upstream requests are shown over HTTP only on request, and only if the server is configured to', async () => {
  const kit = written(
    'registry.kit.mjs',
    `import { defineKit } from 'jexo'
    import { wrapOpenApi } from 'jexo/openapi'
    const parts = await wrapOpenApi(${JSON.stringify(description)}, { upstream: () => Response.json({ hive: 'ML-04' }) })
    export default defineKit({ name: 'registry', version: '1', parts })`,
  )
  const env = { ...process.env, MARSH_LANE_REGISTRY_API_KEY: 'k' } as Record<string, string>
  const open = async (...flags: string[]) => {
    const server = new Running([bin, 'serve', kit, '--http', '0', ...flags], { env })
    const [url] = await server.until(/http:\S+/)
    return { server, url }
  }
  const silent = await open()
  const refused = await jexo('call', silent.url, 'get_hive', 'hive=ML-04', '--trace')
  expect(refused.stderr).toContain('This server sends no upstream records')
  const shown = await open('--show-upstream')
  expect((await jexo('call', shown.url, 'get_hive', 'hive=ML-04', '--trace')).stderr).toMatch(
    /GET \/hives\/ML-04 {2}200 · \d+ bytes/,
  )
  expect((await jexo('call', shown.url, 'get_hive', 'hive=ML-04')).stderr).not.toContain('GET')
  await Promise.all([silent.server.end(), shown.server.end()])
})
