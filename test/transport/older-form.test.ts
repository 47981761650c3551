import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { connect, serveHttp } from 'jexo/node'
import { sampleKit } from '../support/sample-kit.js'

describe('the two-endpoint form', () => {
  test('names the address to post to, responds on its stream, and ends with it', async () => {
    const service = await serveHttp(sampleKit())
    const { origin } = new URL(service.url)
    const stream = await fetch(`${origin}/sse`, { headers: { accept: 'text/event-stream' } })
    const reader = stream.body!.pipeThrough(new TextDecoderStream()).getReader()
    let text = ''
    const until = async (pattern: RegExp) => {
      while (!pattern.test(text)) text += (await reader.read()).value
      return pattern.exec(text)!
    }
    const [, path] = await until(/^event: endpoint\ndata: (\S+)\n\n/)
    const post = (body: object | string, headers = {}) =>
      fetch(origin + path, {
        method: 'POST',
        headers: { 'content-type': 'application/json', ...headers },
        body: typeof body === 'string' ? body : JSON.stringify(body),
      })
    const params = { protocolVersion: '2024-11-05', capabilities: {}, clientInfo: { name: 't', version: '1' } }
    expect((await post({ jsonrpc: '2.0', id: 1, method: 'initialize', params })).status).toBe(202)
    await until(/event: message\ndata: \{"jsonrpc":"2\.0","id":1,"result":\{"protocolVersion":"2024-11-05"/)
    expect((await post('{')).status).toBe(202)
    await until(/-32700/)
    expect((await post({}, { 'content-type': 'text/plain' })).status).toBe(415)
    expect((await post({}, { origin: 'https://evil.example' })).status).toBe(403)
    await reader.cancel()
    let status = 202
    while (status === 202) {
      await new Promise((wake) => setTimeout(wake, 10))
      status = (await post({ jsonrpc: '2.0', id: 2, method: 'ping' })).status
    }
    expect(status).toBe(404)
    await service.close()
  })

  test('is the fallback of a link in any revision, and delivers changes', async () => {
    const service = await serveHttp(sampleKit())
    const link = await connect(service.url.replace('/mcp', '/sse'))
    expect(link.revision).toBe('2025-11-25')
    expect((await link.call('add', { a: 1 })).structuredContent).toStrictEqual({ sum: 2 })
    const seen: number[] = []
    await link.call('steps', {}, { onProgress: ({ progress }) => seen.push(progress) })
    expect(seen).toStrictEqual([1, 3])
    await link.close()
    await service.close()
  })

  test('refuses an address of another origin', async () => {
    const server = createServer((request, response) => {
      if (request.method === 'POST') return response.writeHead(405).end()
      response.writeHead(200, { 'content-type': 'text/event-stream' })
      response.write('event: endpoint\ndata: https://evil.example/post\n\n')
    })
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/sse`
    await expect(connect(url)).rejects.toThrow(/HTTP 405/)
    server.closeAllConnections()
    server.close()
  })
})

test('a browser gets a page with the entry to copy, which runs no text of the kit as code', async () => {
  const kit = sampleKit()
  const service = await serveHttp(kit)
  const answer = await fetch(service.url, {
    headers: { accept: 'text/html,application/xhtml+xml,application/xml;q=0.9,*/*;q=0.8' },
  })
  expect(answer.headers.get('content-type')).toContain('text/html')
  const text = await answer.text()
  expect(text).toContain('9 tools')
  expect(text).toContain(service.url)
  expect(text).not.toContain('<script')
  await service.close()
})

test('streams that the server closes are resumed until the response arrives', async () => {
  const service = await serveHttp(sampleKit(), { limits: { closeStreamAfterMs: 30, streamAfterMs: 10 } })
  const link = await connect(service.url)
  const waiting = link.call('slow_steps')
  await expect(waiting).resolves.toMatchObject({ content: [{ text: 'slow done' }] })
  await link.close()
  await service.close()
})
