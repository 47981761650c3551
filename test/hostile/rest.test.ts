import { mkdirSync, symlinkSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { defineKit } from 'jexo'
import { connect } from 'jexo/node'
import { planOpenApi, type WrapOpenApiOptions, wrapOpenApi } from 'jexo/openapi'
import { newFolder } from '../support/cli.js'
import { cpuMs } from '../support/cpu.js'
import { Upstream } from '../support/upstream.js'

/** Attacks on a wrapped API by arguments, descriptions and other servers. */
afterAll(() => Upstream.endAll())

const described = (paths: object, more: object = {}) => ({
  openapi: '3.1.0',
  info: { title: 'Hives', version: '1' },
  paths,
  ...more,
})
const get = (operationId: string, more: object = {}) => ({
  get: { operationId, responses: { 200: { description: 'It.' } }, ...more },
})
const opened = async (
  description: object,
  options: WrapOpenApiOptions = {},
  environment: Record<string, string> = {},
) => {
  const parts = await wrapOpenApi(description as never, { catalogue: false, allowPrivateNetwork: true, ...options })
  const link = await connect(defineKit({ name: 'hives', version: '1', parts }), {
    environment,
    report: () => {},
  } as never)
  return {
    link,
    call: async (tool: string, args = {}) =>
      (await link.call(tool, args as never)) as { isError?: boolean; content: { text: string }[] },
  }
}

const climbing = [
  '..',
  '../admin',
  '..%2fadmin',
  '%2e%2e/admin',
  '%2e%2e%2fadmin',
  '%252e%252e%252fadmin',
  '%25252e%25252e%25252fadmin',
  'ML-04/../../admin',
  'ML-04%2F..%2Fadmin',
  '..\\admin',
  '..;/admin',
  'a/..;x=1/admin',
  './admin',
  'a/.',
  '%2e',
  '\uff0e\uff0e/admin',
  '%c0%ae%c0%ae/admin',
  '%u002e%u002e/admin',
  '..%5cadmin',
  '%2e%2e%5c',
]
const params = (name: string) => [{ name, in: 'path', required: true, schema: { type: 'string' } }]

test.each(climbing)('the path argument %s reaches no other operation', async (hive) => {
  const upstream = await Upstream.start(() => ({ body: {} }))
  const paths = {
    '/hives/{hive}': get('one', { parameters: params('hive') }),
    '/sites/s-{site}.json': get('two', { parameters: params('site') }),
  }
  const { call, link } = await opened(described(paths, { servers: [{ url: upstream.url }] }))
  const result = await call('one', { hive })
  expect(result).toMatchObject({ isError: true, content: [{ text: expect.stringMatching(/^hive must not/) }] })
  if (/[/\\]|%2f|%5c/i.test(hive)) expect(await call('two', { site: `x/${hive}` })).toMatchObject({ isError: true })
  expect(upstream.seen).toStrictEqual([])
  await link.close()
})

test.each(['ML-04', 'a..b', 'main/docs', '100%', '...', 'x.y', '50%25', 'a;b', '.hidden'])(
  'the path argument %s is sent unchanged',
  async (hive) => {
    const upstream = await Upstream.start(() => ({ body: {} }))
    const { call, link } = await opened(
      described(
        { '/hives/{hive}': get('one', { parameters: params('hive') }) },
        { servers: [{ url: upstream.url }] },
      ),
    )
    expect(await call('one', { hive })).not.toHaveProperty('isError', true)
    expect(decodeURIComponent(upstream.last.target.replace('/hives/', ''))).toBe(hive)
    await link.close()
  },
)

describe('credentials', () => {
  const security = {
    components: { securitySchemes: { key: { type: 'http', scheme: 'bearer' } } },
    security: [{ key: [] }],
  }
  const both = async (options: (other: string) => WrapOpenApiOptions = () => ({})) => {
    const own = await Upstream.start(() => ({ body: {} }))
    const other = await Upstream.start(() => ({ body: {} }))
    const paths = {
      '/here': get('here'),
      '/there': { ...get('there'), servers: [{ url: other.url }] },
      '/elsewhere': get('elsewhere', { servers: [{ url: other.url }] }),
    }
    const { call, link } = await opened(
      described(paths, { servers: [{ url: own.url }], ...security }),
      options(other.url),
      { HIVES_TOKEN: 'the-token' },
    )
    for (const tool of ['here', 'there', 'elsewhere']) await call(tool)
    await link.close()
    return { own: own.seen, other: other.seen }
  }

  test('are sent to the origin of the API only', async () => {
    const { own, other } = await both(() => ({ headers: { 'x-api-key': 'mine', 'x-note': 'all' } }))
    expect(own.map(({ headers }) => headers.authorization)).toStrictEqual(['Bearer the-token'])
    expect(
      other.map(({ headers }) => [headers.authorization, headers['x-api-key'], headers['x-note']]),
    ).toStrictEqual([
      [undefined, undefined, 'all'],
      [undefined, undefined, 'all'],
    ])
  })

  test('are sent to another origin if the author allows it', async () => {
    const { other } = await both((origin) => ({ credentialOrigins: [origin] }))
    expect(other.map(({ headers }) => headers.authorization)).toStrictEqual([
      'Bearer the-token',
      'Bearer the-token',
    ])
  })
})

describe('references', () => {
  const folder = newFolder()
  const place = (name: string, text: string) => {
    const file = join(folder, name)
    mkdirSync(join(file, '..'), { recursive: true })
    writeFileSync(file, text)
    return file
  }
  const secret = place('secret.yaml', 'type: string\ndescription: SECRET-TEXT')
  place('api/schemas/hive.yaml', 'type: object\ndescription: a hive')
  symlinkSync(secret, join(folder, 'api/link.yaml'))
  const withRef = (ref: string) =>
    place(
      'api/api.json',
      JSON.stringify(
        described(
          { '/x': get('x', { parameters: [{ name: 'q', in: 'query', schema: { $ref: ref } }] }) },
          { servers: [{ url: 'http://127.0.0.1:9' }] },
        ),
      ),
    )

  test.each([
    '../secret.yaml',
    './link.yaml',
    pathToFileURL(secret).href,
    'file:///etc/passwd',
    'schemas/../../secret.yaml',
    '..%2fsecret.yaml',
  ])('%s is not read', async (ref) => {
    const plan = await planOpenApi(pathToFileURL(withRef(ref)))
    expect(JSON.stringify(plan)).not.toContain('SECRET-TEXT')
  })

  test('below the folder of the description are read, and others if allowed', async () => {
    expect(JSON.stringify(await planOpenApi(pathToFileURL(withRef('schemas/hive.yaml'))))).toContain('a hive')
    expect(
      JSON.stringify(await planOpenApi(pathToFileURL(withRef('../secret.yaml')), { allowReferences: [folder] })),
    ).toContain('SECRET-TEXT')
  })

  test('to another origin are not fetched unless allowed', async () => {
    const upstream = await Upstream.start(() => ({ body: { type: 'string', description: 'FETCHED' } }))
    const file = pathToFileURL(withRef(`${upstream.url}/schema.json`))
    const plan = await planOpenApi(file)
    expect(upstream.seen).toStrictEqual([])
    expect(plan.warnings.join()).toContain('--allow-ref')
    expect(JSON.stringify(await planOpenApi(file, { allowReferences: [upstream.url] }))).toContain('FETCHED')
  })
})

const doubling = (levels: number, make: (name: string) => object) =>
  Object.fromEntries(
    Array.from({ length: levels }, (_, at) => [
      `S${at}`,
      at === levels - 1 ? { type: 'string' } : make(`S${at + 1}`),
    ]),
  )
const ref = (name: string) => ({ $ref: `#/components/schemas/${name}` })
const shapes: readonly (readonly [name: string, schemas: object])[] = [
  ['doubling properties', doubling(40, (next) => ({ type: 'object', properties: { a: ref(next), b: ref(next) } }))],
  ['doubling allOf', doubling(40, (next) => ({ allOf: [ref(next), ref(next)] }))],
  ['doubling anyOf', doubling(40, (next) => ({ anyOf: [ref(next), ref(next), { type: 'null' }] }))],
  ['doubling arrays', doubling(40, (next) => ({ type: 'array', items: { oneOf: [ref(next), ref(next)] } }))],
  ['a long chain of references', doubling(3000, ref)],
  ['a long chain of allOf', doubling(3000, (next) => ({ allOf: [ref(next)] }))],
  ['a long chain of properties', doubling(3000, (next) => ({ properties: { a: ref(next) } }))],
  ['a circle', { S0: { allOf: [ref('S0'), ref('S1')] }, S1: { properties: { a: ref('S0') } } }],
]
const usesOf: readonly (readonly [name: string, operation: object])[] = [
  [
    'a body',
    {
      post: {
        operationId: 'x',
        requestBody: { content: { 'application/json': { schema: ref('S0') } } },
        responses: { 200: { description: 'It.' } },
      },
    },
  ],
  [
    'a form',
    {
      post: {
        operationId: 'x',
        requestBody: { content: { 'multipart/form-data': { schema: ref('S0') } } },
        responses: {},
      },
    },
  ],
  ['a parameter', get('x', { parameters: [{ name: 'q', in: 'query', schema: ref('S0') }] })],
  [
    'an answer',
    get('x', {
      responses: { 200: { description: 'It.', content: { 'application/json': { schema: ref('S0') } } } },
    }),
  ],
]
describe.each(shapes)('schemas with %s', (_name, schemas) => {
  test.each(usesOf)('in %s are planned within time and memory limits', async (_use, operation) => {
    const start = cpuMs()
    const plan = await planOpenApi(
      described(
        { '/x': operation },
        { components: { schemas }, servers: [{ url: 'http://127.0.0.1:9' }] },
      ) as never,
      { writes: true },
    )
    expect(cpuMs() - start).toBeLessThan(4000)
    expect(JSON.stringify(plan).length).toBeLessThan(2_000_000)
  })
})

const texts: readonly (readonly [name: string, text: string, outcome: RegExp])[] = [
  [
    'aliases that double',
    `a0: &a0 [x]\n${Array.from({ length: 40 }, (_, at) => `a${at + 1}: &a${at + 1} [*a${at}, *a${at}]`).join('\n')}\nopenapi: 3.0.0\ninfo: { title: b, version: '1' }\nservers: [{ url: 'http://127.0.0.1:9' }]\npaths: { /x: { get: { operationId: x, parameters: [{ name: q, in: query, schema: { enum: *a40 }, example: *a40, x-more: *a40 }], responses: {} } } }`,
    /.*/,
  ],
  [
    'an alias of itself',
    'openapi: 3.0.0\ninfo: &i { title: b, version: *i }\npaths: {}',
    /refers to itself|YAML breaks/,
  ],
  ['many brackets', `openapi: 3.0.0\nx: ${'['.repeat(100_000)}`, /YAML is not valid|levels deep/],
  [
    'many brackets as JSON',
    `{"openapi":"3.0.0","x":${'['.repeat(100_000)}${']'.repeat(100_000)}}`,
    /levels deep|stack/,
  ],
  [
    'many merges',
    `a: &a { k: 1 }\nopenapi: 3.0.0\n${Array.from({ length: 2000 }, (_, at) => `m${at}:\n  <<: *a`).join('\n')}\ninfo: { title: b, version: '1' }\npaths: {}`,
    /.*/,
  ],
  [
    'a deep block',
    `openapi: 3.0.0\n${Array.from({ length: 3000 }, (_, at) => `${' '.repeat(at)}a:`).join('\n')}`,
    /.*/,
  ],
]
test.each(texts)('a description with %s', async (_name, text, outcome) => {
  const file = join(newFolder(), 'api.yaml')
  writeFileSync(file, text)
  const start = cpuMs()
  const said = await planOpenApi(pathToFileURL(file)).then(
    (plan) => JSON.stringify(plan).slice(0, 2_000_000),
    (error: Error) => error.message,
  )
  expect(cpuMs() - start).toBeLessThan(5000)
  expect(said).toMatch(outcome)
})
