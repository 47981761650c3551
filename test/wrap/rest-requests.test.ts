import { mkdirSync, symlinkSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { defineKit } from 'jexo'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { type WrapOpenApiOptions, wrapOpenApi } from 'jexo/openapi'
import { newFolder } from '../support/cli.js'
import { Upstream } from '../support/upstream.js'
import { type StyleCase, styleCases, values } from './style-cases.js'

const links: Link[] = []
afterAll(async () => {
  await Promise.all(links.map((link) => link.close()))
  await Upstream.endAll()
})

async function linkTo(paths: object, upstream: Upstream, options: WrapOpenApiOptions = {}, more: object = {}) {
  const description = {
    openapi: '3.0.3',
    info: { title: 'Test', version: '1' },
    servers: [{ url: upstream.url }],
    paths,
    ...more,
  }
  const parts = await wrapOpenApi(description, { writes: true, catalogue: false, ...options })
  const link = await connect(defineKit({ name: 'test', version: '1', parts }))
  links.push(link)
  return link
}
const said = async (link: Link, tool: string, args: object) => {
  const { content, isError } = await link.call(tool, args as never)
  return { isError, text: content.map((block) => (block.type === 'text' ? block.text : block.type)).join('\n') }
}

const schemas = {
  empty: { type: 'string' },
  string: { type: 'string' },
  number: { type: 'number' },
  boolean: { type: 'boolean' },
  array: { type: 'array', items: { type: 'string' } },
  object: { type: 'object', properties: { R: { type: 'integer' }, G: { type: 'string' }, B: { type: 'integer' } } },
}

describe('parameters are serialized in their declared style', () => {
  const nameOf = ({ in: place, style, explode, type }: StyleCase) =>
    `${place}_${style}_${explode}_${type}`.toLowerCase()
  let upstream: Upstream
  let link: Link
  beforeAll(async () => {
    upstream = await Upstream.start()
    const paths = styleCases.map((one) => {
      const { in: place, style, explode, type } = one
      const parameter = { name: 'color', in: place, required: true, style, explode, schema: schemas[type] }
      const operation = {
        operationId: nameOf(one),
        parameters: [parameter],
        responses: { 204: { description: '' } },
      }
      return [`/${nameOf(one)}/${place === 'path' ? '{color}/end' : 'end'}`, { get: operation }]
    })
    link = await linkTo(Object.fromEntries(paths), upstream)
  })

  test.each(styleCases.map((one) => [nameOf(one), one] as const))('%s', async (name, { in: place, type, sent }) => {
    upstream.answer = () => ({ status: 204 })
    expect((await said(link, name, { color: values[type] })).isError).toBeUndefined()
    const { target, headers } = upstream.last
    const [path = '', query] = target.split('?')
    const found = {
      path: path.slice(name.length + 2).replace(/\/end$/, ''),
      query,
      header: headers.color,
      cookie: headers.cookie,
    }[place]
    expect(found).toBe(sent)
  })

  test('a value may be JSON, contain reserved characters, or be an empty list', async () => {
    const at = (name: string, more: object) => ({ name, in: 'query', ...more })
    const parameters = [
      at('filter', { content: { 'application/json': { schema: { type: 'object' } } } }),
      at('raw', { allowReserved: true, schema: { type: 'string' } }),
      at('none', { schema: { type: 'array', items: { type: 'string' } } }),
    ]
    const reserved = await linkTo({ '/x': { get: { operationId: 'x', parameters, responses: {} } } }, upstream)
    await reserved.call('x', { filter: { a: [1] }, raw: 'a/b?c=d&e#f%20g h', none: [] })
    expect(upstream.last.target).toBe('/x?filter=%7B%22a%22%3A%5B1%5D%7D&raw=a/b?c=d%26e%23f%20g%20h')
  })

  test('a value that would change the path or break a header is refused before anything is sent', async () => {
    const parameters = [
      { name: 'hive', in: 'path', required: true, schema: { type: 'string' } },
      { name: 'X-Note', in: 'header', schema: { type: 'string' } },
    ]
    const one = await linkTo(
      { '/hives/{hive}/end': { get: { operationId: 'one', parameters, responses: {} } } },
      upstream,
    )
    const before = upstream.seen.length
    for (const hive of ['', '.', '..', '../../admin'])
      expect(await said(one, 'one', { hive })).toMatchObject({ isError: true, text: /^hive may not (be|hold)/ })
    expect(await said(one, 'one', { hive: 'a', 'X-Note': 'x\r\nx-evil: 1' })).toMatchObject({
      isError: true,
      text: /^X-Note cannot be sent in the header/,
    })
    expect(upstream.seen).toHaveLength(before)
    await one.call('one', { hive: 'a/b..c/.d' })
    expect(upstream.last.target).toBe('/hives/a%2Fb..c%2F.d/end')
  })
})

describe('bodies are serialized in their declared media type', () => {
  let upstream: Upstream
  beforeAll(async () => {
    upstream = await Upstream.start()
  })
  const posting = (content: object, options: WrapOpenApiOptions = {}, required = true) =>
    linkTo(
      { '/x': { post: { operationId: 'x', requestBody: { required, content }, responses: {} } } },
      upstream,
      options,
    )

  const hive = {
    type: 'object',
    required: ['code'],
    properties: {
      code: { type: 'string' },
      tags: { type: 'array', items: { type: 'string' } },
      site: { type: 'object' },
      id: { type: 'integer', readOnly: true },
    },
  }

  test('JSON from separate arguments, without read-only properties', async () => {
    const link = await posting({ 'application/json': { schema: hive } })
    const [tool] = await link.tools()
    expect(Object.keys(tool?.inputSchema.properties as object)).toStrictEqual(['code', 'tags', 'site'])
    await link.call('x', { code: 'ML-13', site: { row: 2 } })
    expect(upstream.last).toMatchObject({
      body: '{"code":"ML-13","site":{"row":2}}',
      headers: { 'content-type': 'application/json' },
    })
  })

  test('JSON as one argument if it is optional or not a plain object', async () => {
    const optional = await posting({ 'application/json': { schema: hive } }, {}, false)
    await optional.call('x', {})
    expect(upstream.last.body).toBe('')
    await optional.call('x', { body: { code: 'ML-13' } })
    expect(upstream.last.body).toBe('{"code":"ML-13"}')
    const list = await posting({ 'application/json': { schema: { type: 'array', items: { type: 'integer' } } } })
    await list.call('x', { body: [1, 2] })
    expect(upstream.last.body).toBe('[1,2]')
  })

  test('forms: lists repeated, objects as JSON or in a style', async () => {
    const link = await posting({
      'application/x-www-form-urlencoded': { schema: hive, encoding: { tags: { style: 'form', explode: false } } },
    })
    await link.call('x', { code: 'a b&c', tags: ['x', 'y'], site: { row: 2 } })
    expect(upstream.last.body).toBe('code=a+b%26c&tags=x,y&site=%7B%22row%22%3A2%7D')
    const repeated = await posting({ 'application/x-www-form-urlencoded': { schema: hive } })
    await repeated.call('x', { code: 'ü', tags: ['x', 'y'] })
    expect(upstream.last.body).toBe('code=%C3%BC&tags=x&tags=y')
  })

  const upload = {
    type: 'object',
    properties: { photo: { type: 'string', format: 'binary' }, note: { type: 'string' } },
    required: ['photo'],
  }

  test('multipart: files as base64, or as a path inside the allowed folder only', async () => {
    const folder = newFolder()
    mkdirSync(join(folder, 'photos'))
    writeFileSync(join(folder, 'photos', 'frame.png'), 'PNG!')
    writeFileSync(join(folder, 'secret.txt'), 'secret')
    symlinkSync(join(folder, 'secret.txt'), join(folder, 'photos', 'link.txt'))
    const link = await posting({ 'multipart/form-data': { schema: upload } }, { files: join(folder, 'photos') })
    await link.call('x', { photo: { path: 'frame.png', mediaType: 'image/png' }, note: 'first' })
    const boundary = /boundary=(.*)$/.exec(upstream.last.headers['content-type'] ?? '')?.[1]
    expect(upstream.last.body).toBe(
      [
        `--${boundary}\r\ncontent-disposition: form-data; name="photo"; filename="frame.png"\r\ncontent-type: image/png\r\n\r\nPNG!`,
        `--${boundary}\r\ncontent-disposition: form-data; name="note"\r\n\r\nfirst`,
        `--${boundary}--\r\n`,
      ].join('\r\n'),
    )
    await link.call('x', { photo: { base64: Buffer.from('abc').toString('base64'), name: 'a"b.png' } })
    expect(upstream.last.body).toContain(
      'filename="a%22b.png"\r\ncontent-type: application/octet-stream\r\n\r\nabc',
    )
    for (const path of ['../secret.txt', '/etc/hostname', 'link.txt', 'none.png'])
      expect(await said(link, 'x', { photo: { path } })).toMatchObject({
        isError: true,
        text: /under the folder of files that is allowed/,
      })
    const without = await posting({ 'multipart/form-data': { schema: upload } })
    expect((await said(without, 'x', { photo: { path: 'frame.png' } })).isError).toBe(true)
  })

  test('text and bytes', async () => {
    const text = await posting({ 'text/markdown': { schema: { type: 'string' } } })
    await text.call('x', { body: '# Hive' })
    expect(upstream.last).toMatchObject({ body: '# Hive', headers: { 'content-type': 'text/markdown' } })
    const bytes = await posting({ 'application/octet-stream': {} })
    await bytes.call('x', { body: { base64: Buffer.from([1, 2, 255]).toString('base64') } })
    expect(Buffer.from(upstream.last.body, 'latin1')).toStrictEqual(Buffer.from([1, 2, 255]))
    expect((await said(bytes, 'x', { body: { base64: '*' } })).text).toMatch(
      /is not base64: pass a base64 string, or \{ base64, name, mediaType \}/,
    )
  })
})
