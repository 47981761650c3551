import { defineKit } from 'jexo'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { planOpenApi, type WrapOpenApiOptions, wrapOpenApi } from 'jexo/openapi'
import { Upstream } from '../../support/upstream.js'

/** The request of an operation, or the reason for its refusal: exactly as described, and never a silent omission. */
interface Row {
  /** Path, preceded by a method other than GET. */
  readonly at: string
  readonly operation?: object
  readonly args?: object
  /** Request target, or part of the body. */
  readonly target?: string
  readonly body?: string | RegExp
  readonly headers?: Readonly<Record<string, string | undefined>>
  /** The error, instead of a request. */
  readonly refused?: RegExp
}

const query = (name: string, more: object = {}) => ({ name, in: 'query', schema: { type: 'string' }, ...more })
const body = (schema: object, mediaType = 'application/json', more: object = {}) => ({
  requestBody: { content: { [mediaType]: { schema } }, ...more },
})
const form = 'application/x-www-form-urlencoded'
const nullable = { type: ['string', 'null'] }
const priced = {
  type: 'array',
  items: { type: 'object', properties: { price: { type: 'string' }, tags: { type: 'array', items: {} } } },
}

const rows: Record<string, Row> = {
  'a fragment in a path is not sent': { at: '/hives#list', target: '/hives' },
  'a fragment after a query is not sent': { at: '/?Action=ListHives#old', target: '/?Action=ListHives' },
  'a placeholder in a fragment is not an argument': { at: '/hives#{mode}', target: '/hives' },
  'the query of a path stays beside parameters': {
    at: '/hives?kind=top bar&x=1',
    operation: { parameters: [query('site')] },
    args: { site: 'Marsh Lane' },
    target: '/hives?kind=top%20bar&x=1&site=Marsh%20Lane',
  },
  'a parameter replaces the pair of its name in the path': {
    at: '/act?Action=List&Version=1',
    operation: { parameters: [query('Action')] },
    args: { Action: 'Weigh' },
    target: '/act?Version=1&Action=Weigh',
  },
  'a pair in the path stays if its parameter is not given': {
    at: '/act2?Action=List',
    operation: { parameters: [query('Action')] },
    target: '/act2?Action=List',
  },
  'a placeholder in the query of a path is its parameter': {
    at: '/find?q={q}&most={most}',
    operation: { parameters: [query('q', { required: true }), query('most')] },
    args: { q: 'a/../b' },
    target: '/find?q=a%2F..%2Fb',
  },
  'a part of a multipart body has the style that its description gives it': {
    at: 'POST /photos/styled',
    operation: {
      requestBody: {
        content: {
          'multipart/form-data': {
            schema: {
              type: 'object',
              properties: { at: { type: 'object' }, tags: { type: 'array', items: {} }, meta: { type: 'object' } },
            },
            encoding: {
              at: { style: 'deepObject', explode: true },
              tags: { style: 'pipeDelimited', explode: false },
            },
          },
        },
      },
    },
    args: { at: { site: 'Marsh Lane' }, tags: ['a&b', 'c'], meta: { kg: 1 } },
    body: /name="at\[site\]"\r\n\r\nMarsh Lane\r\n[\s\S]*name="tags"\r\n\r\na&b\|c\r\n[\s\S]*name="meta"\r\ncontent-type: application\/json\r\n\r\n\{"kg":1\}/,
  },
  'null in a body is sent': {
    at: 'PATCH /hives/note',
    operation: body({ type: 'object', properties: { note: nullable, name: nullable } }),
    args: { note: null },
    body: '{"note":null}',
  },
  'an absent property is not sent': {
    at: 'PATCH /hives/name',
    operation: body({ type: 'object', properties: { note: nullable, name: nullable } }),
    args: { name: 'Ivy' },
    body: '{"name":"Ivy"}',
  },
  'a body may be null as a whole': {
    at: 'PUT /queen',
    operation: body({ anyOf: [{ type: 'null' }, { type: 'string' }] }),
    args: { body: null },
    body: 'null',
  },
  'null in a form clears the field': {
    at: 'POST /form/clear',
    operation: body({ type: 'object', properties: { note: nullable, site: { type: 'string' } } }, form),
    args: { note: null, site: 'Ivy' },
    body: 'note=&site=Ivy',
  },
  'null in a query is not sent': {
    at: '/nullable',
    operation: { parameters: [query('site', { schema: nullable }), query('most')] },
    args: { site: null, most: '3' },
    target: '/nullable?most=3',
  },
  'null in a path is refused': {
    at: '/hives/{hive}/queen',
    operation: { parameters: [{ name: 'hive', in: 'path', required: true, schema: nullable }] },
    args: { hive: null },
    refused: /hive may not be null/,
  },
  'items of a list in a deep object are told apart': {
    at: 'POST /orders',
    operation: {
      requestBody: {
        content: {
          [form]: {
            schema: { type: 'object', properties: { line_items: priced } },
            encoding: { line_items: { style: 'deepObject', explode: true } },
          },
        },
      },
    },
    args: { line_items: [{ price: 'a' }, { price: 'b c', tags: ['x', 'y'] }] },
    body: 'line_items%5B0%5D%5Bprice%5D=a&line_items%5B1%5D%5Bprice%5D=b+c&line_items%5B1%5D%5Btags%5D=x&line_items%5B1%5D%5Btags%5D=y',
  },
  'a deep object in a query, too': {
    at: '/deep',
    operation: { parameters: [query('where', { style: 'deepObject', explode: true, schema: { type: 'object' } })] },
    args: { where: { any: [{ site: 'a' }, { site: 'b' }], most: 3 } },
    target: '/deep?where%5Bany%5D%5B0%5D%5Bsite%5D=a&where%5Bany%5D%5B1%5D%5Bsite%5D=b&where%5Bmost%5D=3',
  },
  'a field that a form requires is required, even if the body is optional': {
    at: 'POST /form/required',
    operation: body({ type: 'object', properties: { site: { type: 'string' } }, required: ['site'] }, form),
    args: {},
    refused: /site/,
  },
  'headers of the connection are no arguments': {
    at: 'POST /framed',
    operation: {
      parameters: ['Content-Length', 'Host', 'Transfer-Encoding', 'Connection', 'X-Site'].map((name) => ({
        ...{ name, in: 'header', required: name !== 'X-Site', schema: { type: 'string' } },
      })),
      ...body({ type: 'object', properties: { a: {} } }),
    },
    args: { 'X-Site': 'Ivy', a: 1 },
    headers: { 'x-site': 'Ivy', 'content-length': '7' },
  },
  'a file is a base64 text': {
    at: 'POST /photo/text',
    operation: body({ type: 'string', format: 'binary' }, 'image/png'),
    args: { body: 'AP8Q' },
    body: '\u0000\u00ff\u0010',
  },
  'a file is an object': {
    at: 'POST /photo/parts',
    operation: body(
      { type: 'object', properties: { photo: { type: 'string', format: 'binary' } } },
      'multipart/form-data',
    ),
    args: { photo: { base64: 'aGl2ZQ==', name: 'a "b".png', mediaType: 'image/png; q="x y"' } },
    body: /name="photo"; filename="a %22b%22.png"\r\ncontent-type: image\/png; q="x y"\r\n\r\nhive\r\n/,
  },
  'a file that is neither is refused by what it may be': {
    at: 'POST /photo/odd',
    operation: body({ type: 'string', format: 'binary' }, 'image/png'),
    args: { body: '*' },
    refused: /body is not base64: pass a base64 string, or \{ base64, name, mediaType \}/,
  },
  ...Object.fromEntries(
    ['image/png\r\nx-evil: 1', 'image', 'image/p ng', 'image/png; a', 'imäge/png'].map((mediaType, at) => [
      `the media type ${JSON.stringify(mediaType)} is refused`,
      {
        at: `POST /photo/type${at}`,
        operation: body({ type: 'string', format: 'binary' }, 'image/png'),
        args: { body: { base64: 'AA==', mediaType } },
        refused: /body has a mediaType that is not valid/,
      },
    ]),
  ),
}

let upstream: Upstream
let link: Link
const nameOf = (row: Row) => `row_${Object.values(rows).indexOf(row)}`

async function linked(description: object, options: WrapOpenApiOptions, environment: Record<string, string> = {}) {
  const parts = await wrapOpenApi(description as never, { writes: true, catalogue: false, ...options })
  return connect(defineKit({ name: 'test', version: '1', parts }), { environment })
}

beforeAll(async () => {
  upstream = await Upstream.start(() => ({ status: 204 }))
  const paths: Record<string, Record<string, object>> = {}
  for (const row of Object.values(rows)) {
    const [method, path] = row.at.startsWith('/') ? ['get', row.at] : row.at.toLowerCase().split(/ (.*)/)
    const operation = { operationId: nameOf(row), responses: { 204: { description: '' } }, ...row.operation }
    paths[path ?? ''] = { ...paths[path ?? ''], [method ?? '']: operation }
  }
  link = await linked(
    { openapi: '3.1.0', info: { title: 'T', version: '1' }, servers: [{ url: upstream.url }], paths },
    {},
  )
})
afterAll(async () => {
  await link.close()
  await upstream.end()
})

test.each(Object.entries(rows))('%s', async (_what, row) => {
  const before = upstream.seen.length
  const { isError, content } = await link.call(nameOf(row), (row.args ?? {}) as never)
  if (row.refused) {
    expect([isError, content[0]]).toMatchObject([true, { text: expect.stringMatching(row.refused) }])
    expect(upstream.seen.length).toBe(before)
    return
  }
  expect(isError).toBeUndefined()
  const { target, body: sent, headers } = upstream.last
  if (row.target !== undefined) expect(target).toBe(row.target)
  if (row.body !== undefined)
    expect(sent).toStrictEqual(typeof row.body === 'string' ? row.body : expect.stringMatching(row.body))
  for (const [name, value] of Object.entries(row.headers ?? {})) expect(headers[name]).toBe(value)
})

test('read-only and fixed values are not offered as arguments', async () => {
  const inputOf = async (what: string) =>
    Object.keys(
      (await link.tools()).find(({ name }) => name === nameOf(rows[what] as Row))?.inputSchema.properties ?? {},
    )
  expect(await inputOf('headers of the connection are no arguments')).toStrictEqual(['X-Site', 'a'])
  expect(await inputOf('a placeholder in a fragment is not an argument')).toStrictEqual([])
})

describe('a base URL option', () => {
  const server = 'https://api.example/v1'
  const operation = (operationId: string, more: object = {}) => ({
    get: { operationId, responses: { 204: { description: '' } }, ...more },
  })
  const description = {
    openapi: '3.1.0',
    info: { title: 'T', version: '1' },
    servers: [{ url: server }],
    paths: {
      '/plain': operation('plain'),
      '/same': operation('same', { servers: [{ url: `${server}/` }] }),
      '/beside': operation('beside', { servers: [{ url: 'https://api.example/v2' }] }),
      '/below': operation('below', { servers: [{ url: `${server}/beta` }] }),
      '/elsewhere': operation('elsewhere', { servers: [{ url: 'https://uploads.example/v1' }] }),
      '/token': operation('token', { security: [{ own: [] }] }),
    },
    components: {
      securitySchemes: {
        own: {
          type: 'oauth2',
          flows: { clientCredentials: { tokenUrl: 'https://api.example/oauth/token', scopes: {} } },
        },
      },
    },
  }
  const settings = { T_CLIENT_ID: 'a', T_CLIENT_SECRET: 'b' }

  test.each([
    ['by the setting', {}, () => ({ T_URL: `${upstream.url}/here` })],
    ['by the option', { baseUrl: true }, () => ({})],
  ])('%s applies to every operation of the server, and to its token URL', async (_how, given, environment) => {
    upstream.answer = ({ target }) =>
      target.endsWith('/token') && !target.startsWith('/here') ? { body: { access_token: 't' } } : { status: 204 }
    const options = 'baseUrl' in given ? { baseUrl: `${upstream.url}/here` } : {}
    const own = await linked(description, options, { ...environment(), ...settings })
    const before = upstream.seen.length
    for (const name of ['plain', 'same', 'beside', 'below', 'token']) await own.call(name, {})
    expect(upstream.seen.slice(before).map(({ target }) => target)).toStrictEqual([
      ...['/here/plain', '/here/same', '/v2/beside', '/here/beta/below', '/oauth/token', '/here/token'],
    ])
    await own.close()
  })

  test('does not apply to another server, which the plan and the error name', async () => {
    const plan = await planOpenApi(description, { baseUrl: upstream.url })
    expect(plan.operations.flatMap(({ name, base }) => (base ? [[name, base]] : []))).toStrictEqual([
      ['beside', 'https://api.example/v2'],
      ['below', 'https://api.example/v1/beta'],
      ['elsewhere', 'https://uploads.example/v1'],
    ])
    const reports: string[] = []
    const parts = await wrapOpenApi(description, { limits: { retries: 0 }, baseUrl: upstream.url })
    const own = await connect(defineKit({ name: 'test', version: '1', parts }), {
      environment: settings,
      report: ({ text }) => void reports.push(text),
    })
    await own.call('elsewhere', {})
    expect(reports.join('\n')).toContain('GET https://uploads.example/v1/elsewhere')
    await own.close()
  })
})
