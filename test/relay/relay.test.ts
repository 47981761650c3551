import { randomBytes } from 'node:crypto'
import { createServer, request as requestHttp, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { PassThrough } from 'node:stream'
import { gzipSync } from 'node:zlib'
import { relayBetween } from '../../src/relay/relay-between.js'
import { relayChild } from '../../src/relay/relay-child.js'
import { relayHttp } from '../../src/relay/relay-http.js'
import type { TapeEvent } from '../../src/tape/entry.js'
import { HttpWire } from '../../src/transport/http-wire.js'
import { serveHttp } from '../../src/transport/node-http.js'
import { sampleKit } from '../support/sample-kit.js'

const echo = (script: string) => ({ command: process.execPath, args: ['-e', script] })

/** A host that sends some bytes, closes, and keeps what it receives. */
function host(said: readonly (string | Uint8Array)[]) {
  const input = new PassThrough()
  for (const bytes of said) input.write(bytes)
  input.end()
  const out: Uint8Array[] = []
  const errors: Uint8Array[] = []
  const ends = {
    input,
    write: (bytes: Uint8Array) => out.push(Buffer.from(bytes)) > 0,
    drained: (then: () => void) => then(),
    writeError: (bytes: Uint8Array) => void errors.push(bytes),
  }
  return { ends, out: () => Buffer.concat(out), errors: () => Buffer.concat(errors).toString() }
}
const messagesOf = (events: readonly TapeEvent[]) =>
  events.flatMap((event) => (event.kind === 'message' ? [[event.from, event.message]] : []))

describe('a relay to a child', () => {
  test('passes every byte unchanged', async () => {
    const bytes = [
      randomBytes(300_000),
      Buffer.from([0xff, 0x0a, 0x00]),
      Buffer.from('{"no":"newline at the end"}'),
    ]
    const { ends, out } = host(bytes)
    const events: TapeEvent[] = []
    const code = await relayChild(echo('process.stdin.pipe(process.stdout)'), ends, (event) => events.push(event))
    expect(code).toBe(0)
    expect(out().equals(Buffer.concat(bytes))).toBe(true)
    expect(events.at(-1)).toMatchObject({ kind: 'state', state: 'closed' })
  })

  test('lets a slow server respond after its host has gone, and ends one that does not exit', async () => {
    const { ends, out } = host(['{"jsonrpc":"2.0","id":1,"method":"ping"}\n'])
    const events: TapeEvent[] = []
    const script = `setInterval(() => {}, 1000); setTimeout(() => console.log('{"jsonrpc":"2.0","id":1,"result":{}}'), 600)`
    expect(await relayChild(echo(script), ends, (event) => events.push(event), { graceMs: 100 })).toBe(1)
    expect(out().toString()).toBe('{"jsonrpc":"2.0","id":1,"result":{}}\n')
    expect(events.at(-1)).toMatchObject({ text: 'the server ended by SIGTERM' })
  })

  test('records messages of both sides, stray lines, stderr and the end', async () => {
    const { ends, out, errors } = host([
      '{"jsonrpc":"2.0","id":1,"method":"pi',
      'ng","params":{"x":1.0,"unknown":"stays"}}\n',
      'not json\n',
    ])
    const events: TapeEvent[] = []
    const answer = '{ "jsonrpc": "2.0", "id": 1, "result": {} }'
    const script = `process.stdin.resume().on('end', () => { console.error('bye'); process.stdout.write(${JSON.stringify(`Listening\n${answer}\n`)}, () => process.exit(7)) })`
    expect(await relayChild(echo(script), ends, (event) => events.push(event), { label: 'odd one' })).toBe(7)
    expect(out().toString()).toBe(`Listening\n${answer}\n`)
    expect(errors()).toBe('bye\n')
    expect(messagesOf(events)).toStrictEqual([
      ['client', { jsonrpc: '2.0', id: 1, method: 'ping', params: { x: 1, unknown: 'stays' } }],
      ['server', { jsonrpc: '2.0', id: 1, result: {} }],
    ])
    // The order between stdout and stderr is undefined.
    const others = events.filter(({ kind }) => kind !== 'message')
    expect(others).toHaveLength(5)
    expect(others).toStrictEqual(
      expect.arrayContaining([
        expect.objectContaining({ kind: 'state', state: 'open', label: 'odd one' }),
        expect.objectContaining({ kind: 'stray', from: 'client', text: 'not json' }),
        expect.objectContaining({ kind: 'stray', from: 'server', text: 'Listening' }),
        expect.objectContaining({ kind: 'stderr', text: 'bye' }),
        expect.objectContaining({ kind: 'state', state: 'closed', text: 'the server ended with code 7' }),
      ]),
    )
  })

  test('waits for a slow host, and loses nothing', async () => {
    const { ends, out } = host([randomBytes(2_000_000)])
    let waited = 0
    const slow = {
      ...ends,
      write: (bytes: Uint8Array) => {
        ends.write(bytes)
        return false
      },
      drained: (then: () => void) => {
        waited++
        setImmediate(then)
      },
    }
    await relayChild(echo('process.stdin.pipe(process.stdout)'), slow, () => {})
    expect(out().length).toBe(2_000_000)
    expect(waited).toBeGreaterThan(0)
  })

  test('reports a command that cannot be started', async () => {
    const { ends } = host([])
    await expect(relayChild({ command: '/no/such/program', args: [] }, ends, () => {})).rejects.toThrow(
      /no\/such\/program.*ENOENT/,
    )
  })

  test('ends the child on request', async () => {
    const stop = new AbortController()
    const { ends } = host([])
    const events: TapeEvent[] = []
    const code = relayChild(
      echo('setInterval(() => {}, 1000)'),
      { ...ends, input: new PassThrough() },
      (event) => {
        events.push(event)
        if (event.kind === 'state' && event.state === 'open') stop.abort()
      },
      { signal: stop.signal },
    )
    await code
    expect(events.at(-1)).toMatchObject({ text: 'the server ended by SIGTERM' })
  })
})

describe('a relay over HTTP', () => {
  let server: Server
  let answer: (
    body: Buffer,
    headers: NodeJS.Dict<string | string[]>,
  ) => { status: number; headers: Record<string, string>; body: Buffer }
  let url: URL
  beforeAll(async () => {
    server = createServer((request, response) => {
      const chunks: Buffer[] = []
      request
        .on('data', (chunk) => chunks.push(chunk))
        .on('end', () => {
          const { status, headers, body } = answer(Buffer.concat(chunks), {
            ...request.headers,
            'x-url': request.url ?? '',
          })
          response.writeHead(status, headers).end(body)
        })
    })
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
    url = new URL(`http://127.0.0.1:${(server.address() as AddressInfo).port}/mcp?only=a`)
  })
  afterAll(() => void server.close())

  const open = async (headers: Record<string, string> = {}) => {
    const events: [string, TapeEvent][] = []
    const relay = await relayHttp(url, { host: '127.0.0.1', port: 0, headers }, (target, event) =>
      events.push([target, event]),
    )
    return { relay, events }
  }
  const post = (to: string, body: Buffer | string, headers: Record<string, string> = {}) =>
    new Promise<{ status: number; headers: NodeJS.Dict<string | string[]>; body: Buffer }>((resolve, reject) => {
      const sent = requestHttp(to, { method: 'POST', headers }, (response) => {
        const chunks: Buffer[] = []
        response.on('data', (chunk) => chunks.push(chunk))
        response.on('end', () =>
          resolve({ status: response.statusCode ?? 0, headers: response.headers, body: Buffer.concat(chunks) }),
        )
      })
      sent.on('error', reject).end(body)
    })

  test('passes bodies unchanged, even compressed, and all headers except those of the connection', async () => {
    const body = gzipSync('{"jsonrpc":"2.0","id":1,"result":{"spaces":  1.0}}')
    let heard: NodeJS.Dict<string | string[]> = {}
    answer = (_, headers) => {
      heard = headers
      return {
        status: 200,
        headers: { 'content-type': 'application/json', 'content-encoding': 'gzip', 'X-Own': 'Bees' },
        body,
      }
    }
    const { relay, events } = await open({ authorization: 'Bearer of-the-relay' })
    const given = await post(relay.url, '{ "jsonrpc":"2.0", "id":1, "method":"ping" }', {
      'content-type': 'application/json',
      'x-host': 'yes',
    })
    expect(given.body.equals(body)).toBe(true)
    expect(given.headers).toMatchObject({ 'content-encoding': 'gzip', 'x-own': 'Bees' })
    expect(heard).toMatchObject({
      'x-host': 'yes',
      authorization: 'Bearer of-the-relay',
      host: url.host,
      'x-url': '/mcp?only=a',
    })
    await relay.close()
    expect(messagesOf(events.map(([, event]) => event))).toStrictEqual([
      ['client', { jsonrpc: '2.0', id: 1, method: 'ping' }],
      ['server', { jsonrpc: '2.0', id: 1, result: { spaces: 1 } }],
    ])
    expect(events.find(([, { kind }]) => kind === 'http')?.[1]).toMatchObject({
      exchange: 1,
      method: 'POST',
      status: 200,
    })
  })

  test('accepts only local host names, and reports an unreachable server', async () => {
    answer = () => ({ status: 200, headers: {}, body: Buffer.from('') })
    const { relay, events } = await open()
    expect((await post(relay.url, '{}', { host: 'evil.example' })).status).toBe(403)
    expect((await post(relay.url, '{}', { origin: 'https://evil.example' })).status).toBe(403)
    expect(events).toStrictEqual([])
    await relay.close()
    const gone = await relayHttp(
      new URL('http://127.0.0.1:9/mcp'),
      { host: '127.0.0.1', port: 0 },
      (target, event) => events.push([target, event]),
    )
    const given = await post(gone.url, '{"jsonrpc":"2.0","id":1,"method":"ping"}')
    expect(given).toMatchObject({ status: 502 })
    expect(given.body.toString()).toMatch(/cannot be reached: .*ECONNREFUSED/)
    expect(events.at(-1)?.[1]).toMatchObject({ kind: 'http', failure: expect.stringContaining('ECONNREFUSED') })
    await gone.close()
  })

  test('forwards to its endpoint only, whatever the path', async () => {
    const asked: unknown[] = []
    answer = (_, headers) => {
      asked.push([headers.host, headers['x-url']])
      return { status: 200, headers: {}, body: Buffer.from('') }
    }
    const { relay } = await open({ authorization: 'Bearer of-the-relay' })
    const { origin } = new URL(relay.url)
    for (const path of ['//127.0.0.1:9/steal', '/other']) await post(`${origin}${path}`, '{}')
    expect(asked).toStrictEqual([])
    await relay.close()
  })

  test('relays a whole session of a real server: streams unchanged, sessions separate', async () => {
    const service = await serveHttp(sampleKit(), { port: 0 })
    const events: [string, TapeEvent][] = []
    const relay = await relayHttp(new URL(service.url), { host: '127.0.0.1', port: 0 }, (target, event) =>
      events.push([target, event]),
    )
    const { connectOnNode } = await import('../../src/transport/node-connect.js')
    const first = await connectOnNode(relay.url)
    const second = await connectOnNode(relay.url)
    const tools = await first.tools()
    expect(await second.tools()).toStrictEqual(tools)
    await first.close()
    await second.close()
    await relay.close()
    await service.close()
    const targets = new Set(events.filter(([, { kind }]) => kind === 'message').map(([target]) => target))
    expect([...targets]).toStrictEqual(['s1', 's2'])
    const listed = events.filter(
      ([, event]) => event.kind === 'message' && 'result' in event.message && 'tools' in event.message.result,
    )
    expect(listed).toHaveLength(2)
  })
})

describe('a relay between stdio and HTTP', () => {
  test('connects a host that starts programs to a server behind a URL', async () => {
    const service = await serveHttp(sampleKit(), { port: 0 })
    const events: TapeEvent[] = []
    const hello = {
      jsonrpc: '2.0',
      id: 'a',
      method: 'initialize',
      params: { protocolVersion: '2025-11-25', capabilities: {}, clientInfo: { name: 'host', version: '1' } },
    }
    const input = new PassThrough()
    const lines: { id?: unknown; result?: { tools?: unknown[] }; error?: { code: number } }[] = []
    const { ends } = host([])
    const say = (text: object | string) =>
      input.write(`${typeof text === 'string' ? text : JSON.stringify(text)}\n`)
    const relaying = relayBetween(
      new HttpWire(new URL(service.url)),
      {
        ...ends,
        input,
        write: (bytes) => {
          const line = JSON.parse(Buffer.from(bytes).toString())
          lines.push(line)
          if (line.id === 'a') {
            say({ jsonrpc: '2.0', method: 'notifications/initialized' })
            say('no message')
            say({ jsonrpc: '2.0', id: 2, method: 'tools/list' })
            input.end()
          }
          return true
        },
      },
      (event) => events.push(event),
    )
    say(hello)
    await relaying
    await service.close()
    expect(lines.find(({ id }) => id === 2)?.result?.tools?.length).toBeGreaterThan(0)
    expect(lines.find(({ error }) => error)?.error?.code).toBe(-32700)
    expect(events.map(({ kind }) => kind)).toContain('stray')
    expect(events.at(-1)).toMatchObject({ kind: 'state', state: 'closed', text: 'the host has gone' })
  })

  test('answers a request that cannot be forwarded', async () => {
    const { ends, out } = host(['{"jsonrpc":"2.0","id":1,"method":"initialize","params":{}}\n'])
    await relayBetween(new HttpWire(new URL('http://127.0.0.1:9/mcp')), ends, () => {})
    expect(JSON.parse(out().toString())).toMatchObject({
      id: 1,
      error: { code: -32603, message: expect.stringContaining('no connection') },
    })
  })
})
