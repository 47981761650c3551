import { writeFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import Ajv2020 from 'ajv/dist/2020.js'
import { Hono } from 'hono'
import { defineKit, override } from 'jexo'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { type PlannedOperation, planOpenApi, type WrapOpenApiOptions, wrapOpenApi } from 'jexo/openapi'
import { newFolder } from '../support/cli.js'
import type { Loose } from '../support/raw-session.js'
import { Upstream } from '../support/upstream.js'

const links: Link[] = []
afterAll(async () => {
  await Promise.all(links.map((link) => link.close()))
  await Upstream.endAll()
})

const described = (paths: object, more: object = {}) => ({
  openapi: '3.1.0',
  info: { title: 'Hive API', version: '1' },
  paths,
  ...more,
})
const operation = (operationId: string, more: object = {}) => ({
  operationId,
  responses: { 200: json({ type: 'object' }) },
  ...more,
})
const json = (schema: object, more: object = {}) => ({
  description: 'It.',
  content: { 'application/json': { schema } },
  ...more,
})

interface Opened {
  link: Link
  reports: string[]
  call(tool: string, args?: object): Promise<Loose>
  text(tool: string, args?: object): Promise<string>
}
async function opened(
  description: object,
  options: WrapOpenApiOptions = {},
  environment: Record<string, string> = {},
): Promise<Opened> {
  const parts = await wrapOpenApi(description as never, { catalogue: false, ...options })
  const reports: string[] = []
  const kit = defineKit({ name: 'test', version: '1', parts })
  const link = await connect(kit, { environment, report: ({ text }) => reports.push(text) })
  links.push(link)
  const call = async (tool: string, args = {}) => (await link.call(tool, args as never)) as Loose
  const text = async (tool: string, args = {}) =>
    (await call(tool, args)).content.map((block: Loose) => block.text ?? block.type).join('\n')
  return { link, reports, call, text }
}
const at = (upstream: Upstream, paths: object, more: object = {}) =>
  described(paths, { servers: [{ url: upstream.url }], ...more })
const named = async (description: object, options: WrapOpenApiOptions = {}) =>
  Object.fromEntries(
    (await planOpenApi(description as never, options)).operations.map((one): [string, PlannedOperation] => [
      one.name,
      one,
    ]),
  )

describe('descriptions of every version', () => {
  test('produce the same plan for the same API', async () => {
    const hive = {
      type: 'object',
      required: ['code'],
      properties: { code: { type: 'string' }, kg: { type: 'number' } },
    }
    const newer = {
      info: { title: 'Hives', version: '1' },
      servers: [{ url: 'https://{where}.example/v1', variables: { where: { default: 'bees' } } }],
      paths: {
        '/hives/{code}': {
          get: {
            operationId: 'getHive',
            parameters: [
              { name: 'code', in: 'path', required: true, schema: { type: 'string' } },
              { name: 'tags', in: 'query', explode: false, schema: { type: 'array', items: { type: 'string' } } },
            ],
            responses: {
              200: {
                description: 'It.',
                content: { 'application/json': { schema: { $ref: '#/components/schemas/Hive' } } },
              },
            },
          },
        },
      },
      components: { schemas: { Hive: hive } },
    }
    const older = {
      swagger: '2.0',
      info: newer.info,
      host: 'bees.example',
      basePath: '/v1',
      schemes: ['http', 'https'],
      produces: ['application/json'],
      paths: {
        '/hives/{code}': {
          get: {
            operationId: 'getHive',
            parameters: [
              { name: 'code', in: 'path', required: true, type: 'string' },
              { name: 'tags', in: 'query', type: 'array', items: { type: 'string' } },
            ],
            responses: { 200: { description: 'It.', schema: { $ref: '#/definitions/Hive' } } },
          },
        },
      },
      definitions: { Hive: hive },
    }
    const [old, mid, now] = await Promise.all(
      [older, { openapi: '3.0.3', ...newer }, { openapi: '3.1.0', ...newer }].map((one) => planOpenApi(one)),
    )
    expect(old).toStrictEqual(now)
    expect(mid).toStrictEqual(now)
    expect(now?.base.url).toBe('https://bees.example/v1')
    expect(now?.operations[0]?.response.schema).toStrictEqual({ type: 'object', $ref: '#/$defs/Hive' })
  })

  test('in 2.0: bodies, forms with files, lists by format, keys and basic authentication', async () => {
    const upstream = await Upstream.start()
    const description = {
      swagger: '2.0',
      info: { title: 'Old', version: '1' },
      host: `127.0.0.1:${upstream.port}`,
      schemes: ['http'],
      securityDefinitions: { login: { type: 'basic' } },
      security: [{ login: [] }],
      paths: {
        '/hives': {
          post: {
            operationId: 'add',
            parameters: [
              {
                name: 'hive',
                in: 'body',
                required: true,
                schema: { type: 'object', properties: { code: { type: 'string' } } },
              },
            ],
            responses: {},
          },
        },
        '/photo': {
          post: {
            operationId: 'photo',
            consumes: ['multipart/form-data'],
            parameters: [
              { name: 'file', in: 'formData', type: 'file', required: true },
              { name: 'ids', in: 'query', type: 'array', items: { type: 'string' }, collectionFormat: 'pipes' },
            ],
            responses: {},
          },
        },
      },
    }
    const { link } = await opened(description, { writes: true }, { OLD_USER: 'ada', OLD_PASSWORD: 'beeswax' })
    await link.call('add', { code: 'ML-13' })
    expect(upstream.last).toMatchObject({
      body: '{"code":"ML-13"}',
      headers: { authorization: `Basic ${Buffer.from('ada:beeswax').toString('base64')}` },
    })
    await link.call('photo', { file: { base64: 'YWJj' }, ids: ['a', 'b'] })
    expect(upstream.last.target).toBe('/photo?ids=a%7Cb')
    expect(upstream.last.body).toContain('filename="file"')
  })

  test('across files, in YAML and JSON, with circular and unresolved references', async () => {
    const folder = newFolder()
    const write = (name: string, text: string) => writeFileSync(join(folder, name), text)
    write(
      'api.yaml',
      `openapi: 3.0.3
info: { title: Split, version: 2026-01-01 }
paths:
  /queens: { $ref: 'paths.json#/~1queens' }
  /lost: { get: { operationId: lost, parameters: [{ $ref: 'none.yaml#/x' }], responses: { '200': { description: x } } } }
`,
    )
    write(
      'paths.json',
      JSON.stringify({
        '/queens': { get: operation('queens', { responses: { 200: json({ $ref: 'schemas.yaml#/Queen' }) } }) },
      }),
    )
    write(
      'schemas.yaml',
      'Queen:\n  type: object\n  nullable: true\n  <<: &more { title: Queen }\n  properties:\n    mother: { $ref: "#/Queen" }\n    born: { type: string, format: date, example: 2026-01-01 }\n',
    )
    const plan = await planOpenApi(pathToFileURL(join(folder, 'api.yaml')))
    expect(plan.operations.map(({ name }) => name)).toStrictEqual(['queens', 'lost'])
    expect(plan.outputDefinitions.Queen).toStrictEqual({
      type: ['object', 'null'],
      title: 'Queen',
      properties: {
        mother: { $ref: '#/$defs/Queen' },
        born: { type: 'string', format: 'date', examples: ['2026-01-01'] },
      },
    })
    expect(plan.warnings.join('\n')).toMatch(
      /cannot read .*none\.yaml, which a \$ref names[\s\S]*lost: the \$ref of a parameter cannot be resolved/,
    )
  })

  test.each([
    ['nothing', '', /it is empty/],
    ['broken JSON', '{"openapi": "3.0.0", "paths": {', /cannot be read \(.*JSON/],
    ['broken YAML', 'openapi: 3.0.0\npaths:\n  /x: [', /its YAML is not valid at line 3/],
    ['a page', '<!doctype html><html></html>', /it is HTML or XML/],
    ['something else', 'name: hive', /neither "openapi" nor "swagger"/],
    ['a later version', 'openapi: 4.0.0', /of version 4\.0\.0/],
    ['no paths', 'openapi: 3.0.0', /it has no operations/],
  ])('%s is refused with the reason', async (_what, text, reason) => {
    const file = join(newFolder(), 'api.yaml')
    writeFileSync(file, text)
    await expect(wrapOpenApi(pathToFileURL(file))).rejects.toThrow(reason)
  })

  test('YAML aliases that multiply stay bounded', async () => {
    const file = join(newFolder(), 'bomb.yaml')
    const levels = Array.from(
      { length: 30 },
      (_, at) => `x${at + 1}: &x${at + 1} { type: object, properties: { a: *x${at}, b: *x${at} } }`,
    )
    writeFileSync(
      file,
      `openapi: 3.0.0\ninfo: { title: b, version: '1' }\nx0: &x0 { type: string }\n${levels.join('\n')}\npaths:\n  /x: { get: { operationId: x, responses: { '200': { description: d, content: { application/json: { schema: *x30 } } } } } }\n`,
    )
    const plan = await planOpenApi(pathToFileURL(file))
    expect(plan.warnings.join()).toMatch(/repeat more than 2000000 values; it is too large/)
  })

  test('a fetched description determines the base URL, and cannot read files', async () => {
    const upstream = await Upstream.start(() => ({
      body: described(
        { '/x': { get: operation('x', { responses: { 200: json({ $ref: 'file:///etc/hostname' }) } }) } },
        { servers: [{ url: '/v2' }] },
      ),
    }))
    const plan = await planOpenApi(`${upstream.url}/openapi.json`)
    expect(plan.base.url).toBe(`${upstream.url}/v2`)
    expect(plan.warnings.join()).toContain('file:///etc/hostname cannot be resolved')
    upstream.answer = () => ({ status: 404 })
    await expect(planOpenApi(`${upstream.url}/none.json`)).rejects.toThrow(/returned 404/)
  })
})

describe('a large real description', () => {
  const description = createRequire(import.meta.url)('@octokit/openapi/generated/api.github.com.json')

  test('is planned completely: every operation has a unique name and schemas that compile, or is skipped with a reason', async () => {
    const count = Object.values(description.paths as Record<string, object>).flatMap((item) =>
      Object.keys(item).filter((key) => /^(get|put|post|patch|delete)$/.test(key)),
    ).length
    expect(count).toBeGreaterThan(1000)
    const parts = await wrapOpenApi(description, { writes: true, catalogue: false })
    expect(parts).toHaveLength(count)
    const ajv = new Ajv2020.default({ strict: false, validateFormats: false })
    for (const part of parts) {
      if (part.kind !== 'tool') throw new Error(`${part.name} is no tool`)
      expect(part.name).toMatch(/^[a-z0-9_]{1,60}$/)
      for (const schema of [part.inputSchema, part.outputSchema])
        if (schema && !ajv.validateSchema(schema)) throw new Error(`${part.name}: ${ajv.errorsText()}`)
    }
    // Compiling all of them takes minutes, so it is tried with those of one tag.
    const gists = parts.flatMap((part) => (part.kind === 'tool' && part.tags?.includes('gists') ? [part] : []))
    expect(gists.length).toBeGreaterThan(15)
    for (const { inputSchema, outputSchema } of gists)
      for (const schema of [inputSchema, outputSchema]) if (schema) ajv.compile(schema)
    const reads = await planOpenApi(description)
    expect(reads.operations.length + reads.skipped.length).toBe(count)
    expect(reads.skipped.every(({ reason }) => reason === 'writes data')).toBe(true)
    expect(reads.form).toBe('catalogue')
  })

  test('as a catalogue it is searched, explained and called with the same checks', async () => {
    const upstream = await Upstream.start(() => ({ body: { name: 'registry' } }))
    const { link, call, text } = await opened(description, { catalogue: true, baseUrl: upstream.url })
    expect((await link.tools()).map(({ name, annotations }) => [name, annotations?.readOnlyHint])).toStrictEqual([
      ['find_operation', true],
      ['explain_operation', true],
      ['carry_out_operation', true],
    ])
    const found = JSON.parse(await text('find_operation', { words: 'list issues of a repository' }))
    expect(found.operations.slice(0, 3).map(({ operation }: Loose) => operation)).toContain('issues_list_for_repo')
    const explained = JSON.parse(await text('explain_operation', { operation: 'repos_get' }))
    expect(explained).toMatchObject({
      request: 'GET /repos/{owner}/{repo}',
      responses: { 200: 'Response', 404: 'Resource not found' },
      example: { operation: 'repos_get', arguments: { owner: 'text', repo: 'text' } },
    })
    expect(
      await call('carry_out_operation', { operation: 'repos_get', arguments: { owner: 'ada', repo: 'registry' } }),
    ).not.toHaveProperty('isError', true)
    expect(upstream.last.target).toBe('/repos/ada/registry')
    expect(await text('carry_out_operation', { operation: 'repos_get', arguments: { owner: 7 } })).toMatch(
      /repo: missing[\s\S]*owner: received 7; expected a string/,
    )
    expect(await text('carry_out_operation', { operation: 'repos_gt' })).toMatch(
      /no operation "repos_gt"; did you mean repos_get/,
    )
    expect(await text('carry_out_operation', { operation: 'repos_delete' })).toMatch(/no operation "repos_delete"/)
  })
})

describe('the selected operations', () => {
  const description = described({
    '/hives': { get: operation('listHives', { tags: ['hives'] }), post: operation('addHive', { tags: ['hives'] }) },
    '/hives/{hive}': {
      get: operation('getHive', { tags: ['hives'] }),
      delete: operation('dropHive', { tags: ['hives'] }),
      head: operation('headHive'),
    },
    '/members': { get: operation('listMembers', { tags: ['members'] }) },
    '/search': { post: operation('search', { tags: ['hives'] }) },
  })
  const taken = async (options: WrapOpenApiOptions) => Object.keys(await named(description, options))

  test('are the read-only ones, unless writes are requested or named', async () => {
    expect(await taken({})).toStrictEqual(['list_hives', 'get_hive', 'list_members'])
    expect(await taken({ writes: true })).toStrictEqual([
      'list_hives',
      'add_hive',
      'get_hive',
      'drop_hive',
      'list_members',
      'search',
    ])
    expect(await taken({ writes: ['add*'] })).toStrictEqual(['list_hives', 'add_hive', 'get_hive', 'list_members'])
    expect(await taken({ only: ['list_hives', 'dropHive'] })).toStrictEqual(['list_hives', 'drop_hive'])
    expect(await taken({ effects: { search: 'read' } })).toContain('search')
  })

  test('can be selected by tag, path, method, operation and glob', async () => {
    expect(await taken({ only: ['tag:members'] })).toStrictEqual(['list_members'])
    expect(await taken({ only: ['/hives*'] })).toStrictEqual(['list_hives', 'get_hive'])
    expect(await taken({ only: ['GET /hives'] })).toStrictEqual(['list_hives'])
    expect(await taken({ only: ['method:get'], except: ['get_*'] })).toStrictEqual(['list_hives', 'list_members'])
    expect(await taken({ only: ['bee_list*'], prefix: 'bee_' })).toStrictEqual([
      'bee_list_hives',
      'bee_list_members',
    ])
    await expect(taken({ only: ['get_hivs'] })).rejects.toThrow(/did you mean "get_hive"/)
  })

  test('leave a list of the skipped ones with the reason', async () => {
    const { skipped } = await planOpenApi(description as never, {
      only: ['tag:hives', '/hives/{hive}'],
      except: ['list_hives'],
    })
    expect(skipped.map(({ name, reason }) => [name, reason])).toStrictEqual([
      ['list_hives', 'excluded by except'],
      ['add_hive', 'writes data'],
      ['drop_hive', 'writes data'],
      ['head_hive', 'HEAD returns no data'],
      ['list_members', 'not included by only'],
      ['search', 'writes data'],
    ])
  })

  test('have unique names from ids, cleaned, or from method and path', async () => {
    const names = await named(
      described({
        '/api/v1/hives/{hive-id}/visits': { get: { responses: {} } },
        '/a': { get: operation('hives/list-all') },
        '/b': { get: operation('hives/list-all') },
        '/items/{id}': { get: operation('read_item_items__id__get') },
        '/ü': { get: operation('über') },
      }),
    )
    expect(Object.keys(names)).toStrictEqual([
      'get_hives_visits_by_hive_id',
      'hives_list_all',
      'get_b',
      'read_item',
      'ber',
    ])
  })

  test('have distinct argument names if inputs collide', async () => {
    const upstream = await Upstream.start()
    const parameters = [
      { name: 'id', in: 'path', required: true, schema: { type: 'string' } },
      { name: 'id', in: 'query', schema: { type: 'string' } },
      { name: 'filter[site]', in: 'query', schema: { type: 'string' } },
    ]
    const requestBody = {
      required: true,
      content: { 'application/json': { schema: { type: 'object', properties: { id: { type: 'string' } } } } },
    }
    const { link } = await opened(
      at(upstream, { '/x/{id}': { put: operation('x', { parameters, requestBody }) } }),
      { writes: true },
    )
    await link.call('x', { id: 'p', query_id: 'q', filter_site: 's', body_id: 'b' })
    expect(upstream.last).toMatchObject({ target: '/x/p?id=q&filter%5Bsite%5D=s', body: '{"id":"b"}' })
  })

  test('have composed descriptions, which code can override', async () => {
    const paths = {
      '/hives/{hive}': {
        get: operation('getHive', {
          summary: 'One hive',
          description: '<p>All that is <b>known</b>.</p>\n[More](http://x)',
          responses: { 200: { description: 'Sheet of the hive' } },
        }),
        put: operation('x'),
      },
    }
    const { get_hive, x } = await named(described(paths), { writes: true })
    expect(get_hive).toMatchObject({
      title: 'One hive',
      about: 'One hive. All that is known. More\nReturns: Sheet of the hive.',
      isDescribed: true,
    })
    expect(x).toMatchObject({ about: 'Puts /hives/{hive}, by hive.\nReturns: It.', isDescribed: false })
    const [part] = override(await wrapOpenApi(described(paths) as never), {
      get_hive: { about: 'The sheet of a hive.' },
    })
    expect(part?.about).toBe('The sheet of a hive.')
  })

  test('keep the properties of every alternative of a body', async () => {
    const upstream = await Upstream.start()
    const pet = { type: 'object', required: ['kind'], properties: { kind: { type: 'string' } } }
    const content = (schema: object) => ({
      requestBody: { required: true, content: { 'application/json': { schema } } },
    })
    const kinds = { oneOf: [{ $ref: '#/components/schemas/Bee' }, { $ref: '#/components/schemas/Wasp' }] }
    const { link } = await opened(
      at(
        upstream,
        {
          '/open': { post: operation('open', content({ ...pet, discriminator: { propertyName: 'kind' } })) },
          '/closed': {
            post: operation(
              'closed',
              content({
                ...kinds,
                discriminator: { propertyName: 'kind', mapping: { bee: '#/components/schemas/Bee', wasp: 'Wasp' } },
              }),
            ),
          },
        },
        {
          components: {
            schemas: { Bee: { ...pet, properties: { ...pet.properties, kg: { type: 'number' } } }, Wasp: pet },
          },
        },
      ),
      { writes: true },
    )
    await link.call('open', { body: { kind: 'bee', kg: 1 } })
    expect(upstream.last.body).toBe('{"kind":"bee","kg":1}')
    expect((await link.call('closed', { body: { kind: 'bee', kg: 1 } })).isError).toBeUndefined()
    expect((await link.call('closed', { body: { kind: 'fly' } })).isError).toBe(true)
  })

  test('can be resource templates: a GET by path', async () => {
    const upstream = await Upstream.start(() => ({ body: { code: 'ML-04' } }))
    const parameters = [{ name: 'hive', in: 'path', required: true, schema: { type: 'string', pattern: '^ML' } }]
    const { link } = await opened(
      at(upstream, { '/hives/{hive}': { get: operation('getHive', { parameters }) } }),
      { templates: ['get_hive'] },
    )
    expect(await link.tools()).toStrictEqual([])
    expect((await link.templates())[0]?.uriTemplate).toBe('hive://hives/{hive}')
    const { contents } = await link.read('hive://hives/ML-04')
    expect(contents).toStrictEqual([
      { uri: 'hive://hives/ML-04', mimeType: 'application/json', text: '{"code":"ML-04"}' },
    ])
    await expect(link.read('hive://hives/XX')).rejects.toThrow(/pattern/)
  })
})

describe('credentials', () => {
  const secured = (upstream: Upstream, schemes: object, security: object[]) =>
    at(upstream, { '/x': { get: operation('x', { security }) } }, { components: { securitySchemes: schemes } })

  test.each([
    [
      'a key in a header',
      { type: 'apiKey', in: 'header', name: 'X-Key' },
      { HIVE_API_KEY: 's3cret/key' },
      { 'x-key': 's3cret/key' },
      '/x',
    ],
    [
      'a key in the query',
      { type: 'apiKey', in: 'query', name: 'key' },
      { HIVE_API_KEY: 's3cret/key' },
      {},
      '/x?key=s3cret%2Fkey',
    ],
    [
      'a key in a cookie',
      { type: 'apiKey', in: 'cookie', name: 'sid' },
      { HIVE_API_KEY: 's3cret' },
      { cookie: 'sid=s3cret' },
      '/x',
    ],
    [
      'basic access',
      { type: 'http', scheme: 'basic' },
      { HIVE_USER: 'ada', HIVE_PASSWORD: 'wax:1' },
      { authorization: `Basic ${Buffer.from('ada:wax:1').toString('base64')}` },
      '/x',
    ],
    [
      'a bearer token',
      { type: 'http', scheme: 'Bearer' },
      { HIVE_TOKEN: 'tok' },
      { authorization: 'Bearer tok' },
      '/x',
    ],
    [
      'a token of another flow',
      { type: 'oauth2', flows: { implicit: { authorizationUrl: 'https://x', scopes: {} } } },
      { HIVE_TOKEN: 'tok' },
      { authorization: 'Bearer tok' },
      '/x',
    ],
  ])('%s comes from a setting', async (_what, scheme, environment, headers, target) => {
    const upstream = await Upstream.start()
    const { call } = await opened(secured(upstream, { s: scheme }, [{ s: [] }]), {}, environment as never)
    await call('x')
    expect(upstream.last).toMatchObject({ headers, target })
  })

  test('are named together at startup if missing; optional ones are not', async () => {
    const upstream = await Upstream.start()
    const schemes = { one: { type: 'apiKey', in: 'header', name: 'A' }, two: { type: 'http', scheme: 'basic' } }
    await expect(opened(secured(upstream, schemes, [{ one: [], two: [] }]))).rejects.toThrow(
      /3 settings are missing: HIVE_ONE_API_KEY .*HIVE_TWO_USER .*HIVE_TWO_PASSWORD/,
    )
    const { call } = await opened(secured(upstream, schemes, [{}, { one: [] }]))
    await call('x')
    expect(upstream.last.headers).not.toHaveProperty('a')
  })

  test('of clients fetch one shared token, and another if it is refused', async () => {
    let issued = 0
    const upstream = await Upstream.start(({ target, headers }) => {
      if (target === '/token') return { body: { access_token: `token-${++issued}`, expires_in: 3600 } }
      return headers.authorization === 'Bearer token-1' && issued === 1 && upstream.seen.length > 3
        ? { status: 401 }
        : { body: { ok: true } }
    })
    const scheme = { type: 'oauth2', flows: { clientCredentials: { tokenUrl: '/token', scopes: { read: 'x' } } } }
    const { call } = await opened(
      secured(upstream, { s: scheme }, [{ s: ['read'] }]),
      {},
      { HIVE_CLIENT_ID: 'bee', HIVE_CLIENT_SECRET: 'wax' },
    )
    await Promise.all([call('x'), call('x')])
    expect(issued).toBe(1)
    expect(upstream.seen[0]).toMatchObject({
      body: 'grant_type=client_credentials&scope=read',
      headers: { authorization: `Basic ${Buffer.from('bee:wax').toString('base64')}` },
    })
    expect((await call('x')).structuredContent).toStrictEqual({ ok: true })
    expect(upstream.last.headers.authorization).toBe('Bearer token-2')
  })

  test('of clients go in the form if the server wants them there', async () => {
    const upstream = await Upstream.start(({ target, body }) =>
      target !== '/token'
        ? { body: { ok: true } }
        : body.includes('client_secret=w%26x')
          ? { body: { access_token: 't' } }
          : { status: 401 },
    )
    const scheme = { type: 'oauth2', flows: { clientCredentials: { tokenUrl: '/token', scopes: {} } } }
    const environment = { HIVE_CLIENT_ID: 'bee', HIVE_CLIENT_SECRET: 'w&x' }
    const { call } = await opened(secured(upstream, { s: scheme }, [{ s: [] }]), {}, environment)
    expect((await call('x')).structuredContent).toStrictEqual({ ok: true })
    upstream.answer = () => ({ status: 400 })
    const refused = await opened(secured(upstream, { s: scheme }, [{ s: [] }]), {}, environment)
    expect(await refused.text('x')).toMatch(/^The API refused access/)
    expect(refused.reports[0]).toMatch(
      /\/token returned no token \(status 400\) for the values of HIVE_CLIENT_ID and HIVE_CLIENT_SECRET/,
    )
  })

  test('that are refused name the setting to the operator, and tell the model only that access was refused', async () => {
    const upstream = await Upstream.start(() => ({ status: 403, body: { message: 'bad key s3cret-key' } }))
    const { call, text, reports } = await opened(
      secured(upstream, { s: { type: 'apiKey', in: 'header', name: 'K' } }, [{ s: [] }]),
      {},
      { HIVE_API_KEY: 's3cret-key' },
    )
    expect((await call('x')).isError).toBe(true)
    expect(await text('x')).toBe(
      'The API refused access. The operator of this server was notified; trying again will not help.',
    )
    expect(reports[0]).toBe('tool x: GET /x returned 403: the value of HIVE_API_KEY was refused')
  })

  test('of an unknown kind skip an operation, unless there is another way', async () => {
    const schemes = { odd: { type: 'mutualTLS' }, key: { type: 'apiKey', in: 'header', name: 'K' } }
    const upstream = await Upstream.start()
    const plan = await planOpenApi(secured(upstream, schemes, [{ odd: [] }]))
    expect(plan.skipped[0]?.reason).toBe(
      'it needs credentials of an unsupported kind: "odd" has the unsupported type "mutualTLS"',
    )
    expect(
      (await planOpenApi(secured(upstream, schemes, [{ odd: [] }, { key: [] }]))).operations[0]?.credentials,
    ).toStrictEqual(['key'])
    const own = await opened(
      secured(upstream, schemes, [{ odd: [] }]),
      { credential: { kind: 'bearer' }, settingPrefix: 'BEES' },
      { BEES_TOKEN: 'tok' },
    )
    await own.call('x')
    expect(upstream.last.headers.authorization).toBe('Bearer tok')
  })
})

describe('responses', () => {
  const answering = async (
    schema: object | undefined,
    reply: Parameters<typeof Upstream.start>[0],
    options: WrapOpenApiOptions = {},
  ) => {
    const upstream = await Upstream.start(reply)
    const responses = { 200: schema ? json(schema) : { description: 'It.' } }
    return opened(at(upstream, { '/x': { get: operation('x', { responses }) } }), options)
  }
  const kg = { type: 'object', properties: { kg: { type: 'number' } }, required: ['kg'] }

  test('that match their schema are structured, lists included', async () => {
    const one = await answering(kg, () => ({ body: { kg: 41 } }))
    expect(await one.call('x')).toStrictEqual({
      content: [{ type: 'text', text: '{"kg":41}' }],
      structuredContent: { kg: 41 },
    })
    const list = await answering({ type: 'array', items: kg }, () => ({ body: [{ kg: 41 }] }))
    expect((await list.call('x')).structuredContent).toStrictEqual({ value: [{ kg: 41 }] })
  })

  test('that do not match are passed on and reported; with validateResponses they are errors', async () => {
    const { call, reports, link } = await answering(kg, () => ({ body: { kg: 'heavy' } }))
    const result = await call('x')
    expect(result).toMatchObject({ structuredContent: { kg: 'heavy' } })
    expect(result.isError).toBeUndefined()
    expect(result.content[1].text).toMatch(/differs from the API's own description \(kg: must be number\)/)
    expect(reports[0]).toMatch(/GET \/x returned a response that differs from its own description: kg/)
    const [tool] = await link.tools()
    expect(
      new Ajv2020.default({ strict: false }).validate(tool?.outputSchema as object, result.structuredContent),
    ).toBe(true)
    const strict = await answering(kg, () => ({ body: { kg: 'heavy' } }), { validateResponses: true })
    expect((await strict.call('x')).isError).toBe(true)
  })

  test.each<[string, Parameters<typeof Upstream.start>[0], object[]]>([
    ['nothing', () => ({ status: 204 }), [{ type: 'text', text: 'Done: GET /x returned 204 (no content).' }]],
    [
      'text',
      () => ({ headers: { 'content-type': 'text/csv; charset=latin1' }, body: Buffer.from('kg;ü', 'latin1') }),
      [{ type: 'text', text: 'kg;ü' }],
    ],
    [
      'a picture',
      () => ({ headers: { 'content-type': 'image/png' }, body: Buffer.from('\x89PNG\r\n\x1a\n', 'latin1') }),
      [{ type: 'image', mimeType: 'image/png', data: 'iVBORw0KGgo=' }],
    ],
    [
      'sound',
      () => ({ headers: { 'content-type': 'audio/ogg' }, body: 'OggS\0' }),
      [{ type: 'audio', mimeType: 'audio/ogg', data: 'T2dnUwA=' }],
    ],
    [
      'text that says it is a picture',
      () => ({ headers: { 'content-type': 'image/png' }, body: 'no hive' }),
      [{ type: 'text', text: 'no hive' }],
    ],
    [
      'JSON that says it is text',
      () => ({ headers: { 'content-type': 'text/plain' }, body: '{"kg":1}' }),
      [{ type: 'text', text: '{"kg":1}' }],
    ],
  ])('of other types: %s', async (_what, reply, content) => {
    const { call } = await answering(undefined, reply)
    expect(await call('x')).toStrictEqual({ content })
  })

  test('of bytes are a resource', async () => {
    const { call } = await answering(undefined, () => ({
      headers: { 'content-type': 'application/zip' },
      body: Buffer.from([80, 75, 3, 4, 0, 1]),
    }))
    expect((await call('x')).content).toMatchObject([
      { type: 'resource', resource: { mimeType: 'application/zip', blob: 'UEsDBAAB' } },
    ])
  })

  test('with invalid JSON are returned as text, with a notice', async () => {
    const { call, reports } = await answering(kg, () => ({
      headers: { 'content-type': 'application/json' },
      body: '{"kg": 4',
    }))
    const { content, isError } = await call('x')
    expect(isError).toBeUndefined()
    expect(content.map(({ text }: Loose) => text)).toStrictEqual([
      '{"received":"{\\"kg\\": 4"}',
      'The API declares application/json, but the response cannot be read as JSON; it is returned unchanged.',
    ])
    expect(reports).toHaveLength(1)
  })

  test('that are too long are cut, with a notice', async () => {
    const items = Array.from({ length: 500 }, (_, at) => ({ code: `ML-${at}`, note: 'x'.repeat(40) }))
    const { call } = await answering(
      { type: 'object', properties: { items: { type: 'array' } } },
      () => ({ body: { total: 500, items } }),
      { limits: { maxCharacters: 5000 } },
    )
    const { structuredContent, content } = await call('x')
    expect(JSON.stringify(structuredContent).length).toBeLessThanOrEqual(5000)
    expect(structuredContent).toMatchObject({ total: 500, items: items.slice(0, structuredContent.items.length) })
    expect(content[1].text).toBe(
      `Only the first ${structuredContent.items.length} of 500 items are returned; request fewer, or fewer fields.`,
    )
  })

  test('of 100 MB are not read completely', async () => {
    const { text } = await answering(
      undefined,
      (_seen, response) => {
        response.writeHead(200, { 'content-type': 'text/plain' })
        const write = () => {
          while (!response.destroyed && response.write('x'.repeat(100_000)));
          if (!response.destroyed) response.once('drain', write)
        }
        write()
        return undefined
      },
      { limits: { maxBytes: 300_000, maxCharacters: 1000 } },
    )
    expect(await text('x')).toBe(`${'x'.repeat(1000)}\nOnly the first 1,000 characters are returned.`)
  })
})

describe('errors of the API', () => {
  const refusing = async (status: number, body: unknown, headers: Record<string, string> = {}) => {
    const upstream = await Upstream.start(() => ({
      status,
      headers: { 'content-type': 'application/json', ...headers },
      body: typeof body === 'string' ? body : JSON.stringify(body),
    }))
    const requestBody = {
      required: true,
      content: {
        'application/json': { schema: { type: 'object', properties: { queen_year: { type: 'integer' } } } },
      },
    }
    const parameters = [{ name: 'queen_year', in: 'query', schema: { type: 'integer' } }]
    const { text } = await opened(at(upstream, { '/x': { post: operation('x', { requestBody, parameters }) } }), {
      writes: true,
    })
    return text('x', { body_queen_year: 1 })
  }

  test.each([
    [
      'RFC 9457',
      422,
      { title: 'Not registered', detail: 'Fix it.', errors: [{ pointer: '#/queen_year', detail: 'too old' }] },
      'The API returned 422 Unprocessable Entity: Not registered\nFix it.\n- query_queen_year: too old',
    ],
    [
      'a place in the body',
      422,
      { detail: [{ loc: ['body', 'queen_year'], msg: 'too old' }] },
      'The API returned 422 Unprocessable Entity: - body_queen_year: too old',
    ],
    [
      'names with reasons',
      400,
      { message: 'Bad', errors: { queen_year: ['too old', 'too shy'] } },
      'The API returned 400 Bad Request: Bad\n- query_queen_year: too old, too shy',
    ],
    ['a nested error', 409, { error: { code: 7, message: 'Taken' } }, 'The API returned 409 Conflict: Taken'],
    [
      'a page',
      404,
      '<html><head><title>Not here</title></head></html>',
      'The API returned 404 Not Found: Not here',
    ],
    [
      'nothing',
      500,
      '',
      'The API returned 500 Internal Server Error.\nThis is an error of the API, not of the call.',
    ],
  ])('%s', async (_what, status, body, wanted) => {
    expect(await refusing(status, body)).toBe(wanted)
  })

  test('with a retry delay above the limit report the delay', async () => {
    expect(await refusing(429, { message: 'Slow down' }, { 'retry-after': '120' })).toBe(
      'The API returned 429 Too Many Requests: Slow down\nThe rate limit is reached; try again in 120 seconds.',
    )
  })
})

describe('an upstream that is slow, busy or redirects', () => {
  const reading = async (upstream: Upstream, options: WrapOpenApiOptions = {}) =>
    opened(at(upstream, { '/x': { get: operation('x'), post: operation('add') } }), { writes: true, ...options })

  test('is retried only if nothing can happen twice', async () => {
    const replies = [{ status: 503 }, { status: 429, headers: { 'retry-after': '0' } }, { body: { ok: 1 } }]
    const upstream = await Upstream.start(() => replies.shift() ?? { status: 500 })
    const { call, text } = await reading(upstream)
    expect((await call('x')).structuredContent).toStrictEqual({ ok: 1 })
    expect(upstream.seen).toHaveLength(3)
    replies.push({ status: 503 }, { body: { ok: 2 } })
    expect(await text('add')).toMatch(/returned 503/)
    expect(upstream.seen).toHaveLength(4)
  })

  test('that breaks the connection is retried for reads only', async () => {
    let breaks = 1
    const upstream = await Upstream.start((_seen, response) => {
      if (breaks-- <= 0) return { body: { ok: 1 } }
      response.destroy()
      return undefined
    })
    const { call, text } = await reading(upstream)
    expect((await call('x')).structuredContent).toStrictEqual({ ok: 1 })
    breaks = 1
    expect(await text('add')).toMatch(/The API cannot be reached \((ECONNRESET|UND_ERR_SOCKET)\)/)
  })

  test('that hangs is timed out, and a cancelled call ends at once', async () => {
    const upstream = await Upstream.start(() => undefined)
    const { text, link } = await reading(upstream, { limits: { timeoutMs: 150, retries: 0 } })
    expect(await text('x')).toMatch(/did not respond in time/)
    const controller = new AbortController()
    const { link: patient } = await reading(upstream)
    const ended = new Promise<void>((done) => {
      upstream.answer = (_seen, response) => {
        response.on('close', done)
        controller.abort(new Error('enough'))
        return undefined
      }
    })
    await expect(patient.call('x', {}, { signal: controller.signal })).rejects.toThrow(/enough/)
    // The request itself ends, not only the wait for it.
    await ended
    await link.close()
  })

  test('gets a limited number of parallel requests', async () => {
    let now = 0
    let most = 0
    const upstream = await Upstream.start(async () => {
      most = Math.max(most, ++now)
      await new Promise((resolve) => setImmediate(resolve))
      now--
      return { body: {} }
    })
    const { call } = await reading(upstream, { limits: { maxInFlight: 2 } })
    await Promise.all(Array.from({ length: 10 }, () => call('x')))
    expect(most).toBeLessThanOrEqual(2)
  })

  test('may redirect to allowed hosts only, and secrets are not sent there', async () => {
    const other = await Upstream.start(() => ({ body: { other: true } }))
    const upstream = await Upstream.start(({ target }) =>
      target === '/x'
        ? { status: 302, headers: { location: '/y' } }
        : { status: 307, headers: { location: `${other.url}/z` } },
    )
    const security = { credential: { kind: 'bearer' } } as const
    const refused = await opened(at(upstream, { '/x': { get: operation('x') } }), security, { HIVE_TOKEN: 'tok' })
    expect(await refused.text('x')).toMatch(/redirects to an address that this server does not call/)
    expect(upstream.last).toMatchObject({ target: '/y', headers: { authorization: 'Bearer tok' } })
    const allowed = await opened(
      at(upstream, { '/x': { get: operation('x') } }),
      { ...security, allowedHosts: [`127.0.0.1:${other.port}`] },
      { HIVE_TOKEN: 'tok' },
    )
    expect((await allowed.call('x')).structuredContent).toStrictEqual({ other: true })
    expect(other.last.headers).not.toHaveProperty('authorization')
  })

  test.each([
    'http://169.254.169.254',
    'http://10.0.0.8',
    'http://[::1]:9',
    'http://localhost.:9',
    'http://127.0.0.1:9',
  ])('cannot lead a public API into the private network: %s', async (place) => {
    const description = described(
      { '/x': { get: operation('x', { servers: [{ url: place }] }) } },
      { servers: [{ url: 'https://bees.example' }] },
    )
    const { text } = await opened(description)
    expect(await text('x')).toMatch(/at an address that this server does not call/)
  })

  test('cannot use a name that resolves into the private network', async () => {
    const upstream = await Upstream.start()
    const { text } = await opened(
      described({ '/x': { get: operation('x') } }, { servers: [{ url: `http://ip6-localhost:${upstream.port}` }] }),
      { limits: { retries: 0 } },
    )
    expect(await text('x')).toMatch(/an address in a private network|cannot be reached \((ENOTFOUND|EAI_AGAIN)\)/)
    expect(upstream.seen).toStrictEqual([])
  })
})

describe('pagination', () => {
  const all = Array.from({ length: 23 }, (_, at) => ({ n: at }))
  const pages = (parameters: string[], schema: object, headers = {}) => ({
    '/x': {
      get: operation('x', {
        parameters: parameters.map((name) => ({
          name,
          in: 'query',
          schema: { type: name === 'cursor' ? 'string' : 'integer' },
        })),
        responses: { 200: json(schema, { headers }) },
      }),
    },
  })
  const list = { type: 'array', items: { type: 'object' } }
  const numberIn = (target: string, name: string) => Number(new URL(target, 'http://x').searchParams.get(name) ?? 0)

  test.each<[string, object, (target: string, url: string) => Record<string, unknown>]>([
    [
      'by links',
      pages([], list, { Link: {} }),
      (target, url) => {
        const start = numberIn(target, 'start')
        const link =
          start + 5 < all.length
            ? { link: `<${url}/x?start=${start + 5}>; rel="next", <${url}/x>; rel="first"` }
            : {}
        return { headers: link, body: all.slice(start, start + 5) }
      },
    ],
    [
      'by cursors',
      pages(['cursor'], {
        type: 'object',
        properties: { data: list, meta: { type: 'object', properties: { next_cursor: { type: 'string' } } } },
      }),
      (target) => {
        const start = numberIn(target, 'cursor')
        return {
          body: {
            data: all.slice(start, start + 5),
            meta: { next_cursor: start + 5 < all.length ? String(start + 5) : null },
          },
        }
      },
    ],
    [
      'by page numbers',
      pages(['page'], list),
      (target) => ({ body: all.slice((Math.max(1, numberIn(target, 'page')) - 1) * 5).slice(0, 5) }),
    ],
    [
      'by offsets',
      pages(['offset'], { type: 'object', properties: { items: list, total: { type: 'integer' } } }),
      (target) => ({ body: { items: all.slice(numberIn(target, 'offset')).slice(0, 5), total: 23 } }),
    ],
  ])('%s, up to the requested number, with progress', async (_how, paths, reply) => {
    const upstream = await Upstream.start(({ target }) => reply(target, upstream.url))
    const { link } = await opened(at(upstream, paths))
    const items = (result: Loose) =>
      result.structuredContent.value ?? result.structuredContent.data ?? result.structuredContent.items
    expect(items(await link.call('x', {}))).toHaveLength(5)
    const seen: number[] = []
    expect(
      items(await link.call('x', { gather: 12 }, { onProgress: ({ progress }) => seen.push(progress) })),
    ).toStrictEqual(all.slice(0, 12))
    expect(seen).toStrictEqual([5, 10])
    expect(items(await link.call('x', { gather: 100 }))).toStrictEqual(all)
    // Full pages that are enough are the last ones to be requested.
    const before = upstream.seen.length
    expect(items(await link.call('x', { gather: 10 }))).toStrictEqual(all.slice(0, 10))
    expect(upstream.seen.length - before).toBe(2)
  })

  test('stays on the same host, and stops at a repeated page', async () => {
    const upstream = await Upstream.start(({ target }) => ({
      headers: { link: target === '/x' ? '<http://evil.example/x>; rel="next"' : '' },
      body: [1],
    }))
    const { call } = await opened(at(upstream, pages([], list, { Link: {} })))
    await call('x', { gather: 50 })
    expect(upstream.seen).toHaveLength(1)
    upstream.answer = () => ({ headers: { link: `<${upstream.url}/x?a>; rel="next"` }, body: [1] })
    await call('x', { gather: 50 })
    expect(upstream.seen).toHaveLength(3)
  })
})

describe('an API in the same process', () => {
  test('is called under the path in its description', async () => {
    const seen: string[] = []
    const description = described({ '/who': { get: operation('who') } }, { servers: [{ url: '/api/v2/' }] })
    const upstream = ({ url }: Request) => {
      seen.push(url)
      return Response.json({})
    }
    const { call } = await opened(description, { upstream })
    await call('who')
    expect(seen).toStrictEqual(['http://in-process.localhost/api/v2/who'])
    await expect(opened(description)).rejects.toThrow(
      /HIVE_URL \(Base URL of Hive API, such as https:\/\/api\.example\/api\/v2\)/,
    )
  })

  test("works with Hono, and can receive the caller's identity", async () => {
    const app = new Hono()
    app.get('/who', (context) =>
      context.json({ who: context.req.header('x-session') ?? 'nobody', at: new URL(context.req.url).pathname }),
    )
    const description = described({ '/who': { get: operation('who') } })
    const { call } = await opened(description, {
      upstream: (request) => app.fetch(request),
      headers: ({ session }) => ({ 'x-session': session.client?.name ?? '' }),
    })
    expect((await call('who')).structuredContent).toStrictEqual({ who: 'jexo', at: '/who' })
  })
})

test('upstream requests are shown to clients that ask, without secrets', async () => {
  const upstream = await Upstream.start(() => ({ body: { echo: 'tok-s3cret' } }))
  const parts = await wrapOpenApi(
    at(upstream, {
      '/x': { get: operation('x', { parameters: [{ name: 'site', in: 'query', schema: { type: 'string' } }] }) },
    }) as never,
    { credential: { kind: 'apiKey', in: 'query', parameter: 'key' } },
  )
  const records: Loose[] = []
  const link = await connect(defineKit({ name: 'test', version: '1', parts }), {
    environment: { HIVE_API_KEY: 'tok-s3cret' },
    onUpstream: (record) => records.push(record),
  })
  links.push(link)
  await link.call('x', { site: 'Marsh Lane' })
  expect(records).toMatchObject([
    {
      sequence: 1,
      kind: 'http',
      label: `GET ${upstream.url}/x?site=Marsh%20Lane&key=••••`,
      status: 200,
      bytes: 21,
      detail: { received: { body: '{"echo":"••••"}' } },
    },
  ])
  expect(upstream.last.target).toBe('/x?site=Marsh%20Lane&key=tok-s3cret')
})
