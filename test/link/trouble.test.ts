import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { defineKit, tool } from 'jexo'
import { connect, type NodeHandler, nodeHandler } from 'jexo/node'

/** A server behind a transport that fails on request, with a count of the calls that ran. */
let isFailing: (request: IncomingMessage, response: ServerResponse, body: string) => boolean
let handler: NodeHandler
const done: string[] = []
const server = createServer((request, response) => {
  let body = ''
  request.on('data', (chunk) => (body += chunk))
  request.on('end', () => {
    if (isFailing(request, response, body)) return
    handler(Object.assign(request, { body }), response)
  })
})
let url: string

beforeAll(async () => {
  const work = (name: string) => () => {
    done.push(name)
    return name
  }
  handler = nodeHandler(
    defineKit({
      name: 'k',
      version: '1',
      parts: [
        tool('weigh', { about: 'Reads.', effect: 'read', run: work('weigh') }),
        tool('move', { about: 'Changes.', effect: 'change', run: work('move') }),
      ],
    }),
  )
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/mcp`
})
afterAll(async () => {
  await handler.close()
  server.close()
})
beforeEach(() => {
  done.length = 0
  isFailing = () => false
})

/** Fails the first calls of a tool, before or after they run. */
function failCalls(count: number, fail: (response: ServerResponse) => void) {
  let left = count
  isFailing = (_request, response, body) => {
    if (!body.includes('tools/call') || left-- <= 0) return false
    fail(response)
    return true
  }
}
const status = (code: number) => (response: ServerResponse) => void response.writeHead(code).end()
const cut = (response: ServerResponse) => void response.destroy()
const cutLater = (response: ServerResponse) => {
  response.writeHead(200, { 'content-type': 'application/json', 'content-length': '500' }).write('{"jsonrpc"')
  setTimeout(() => response.destroy(), 20)
}
const endStream = (response: ServerResponse) =>
  void response.writeHead(200, { 'content-type': 'text/event-stream' }).end(': nothing\n\n')

test.each([
  ['a refusal for now', status(503)],
  ['a gateway that lost the server', status(502)],
  ['a broken connection', cut],
  ['an answer that breaks off', cutLater],
  ['a stream that ends without the answer', endStream],
])('a read is sent again after %s', async (_what, fail) => {
  const link = await connect(url)
  failCalls(2, fail)
  expect((await link.call('weigh')).content).toMatchObject([{ text: 'weigh' }])
  expect(done).toStrictEqual(['weigh'])
  await link.close()
})

test('a change is sent again only if it certainly did not happen', async () => {
  const link = await connect(url)
  failCalls(1, status(503))
  expect((await link.call('move')).content).toMatchObject([{ text: 'move' }])
  for (const fail of [status(502), cut, cutLater, endStream]) {
    failCalls(1, fail)
    await expect(link.call('move')).rejects.toMatchObject({ name: 'JexoError' })
  }
  expect(done).toStrictEqual(['move'])
  await link.close()
})

test('retries end after a few attempts, and at once if they cannot help', async () => {
  const link = await connect(url)
  let tries = 0
  failCalls(9, (response) => {
    tries++
    status(503)(response)
  })
  await expect(link.call('weigh')).rejects.toThrow(/HTTP 503/)
  expect(tries).toBe(7)
  tries = 0
  failCalls(9, (response) => {
    tries++
    status(500)(response)
  })
  await expect(link.call('weigh')).rejects.toThrow(/HTTP 500/)
  expect(tries).toBe(1)
  await link.close()
})

test('a call that was cancelled meanwhile is not sent again', async () => {
  const link = await connect(url)
  failCalls(1, status(503))
  const stop = new AbortController()
  const call = link.call('weigh', {}, { signal: stop.signal })
  call.catch(() => {})
  await new Promise((go) => setTimeout(go, 100))
  stop.abort(new Error('enough'))
  await expect(call).rejects.toThrow('enough')
  await new Promise((go) => setTimeout(go, 400))
  expect(done).toStrictEqual([])
  await link.close()
})
