import { createHmac } from 'node:crypto'
import { appendFileSync, renameSync, writeFileSync } from 'node:fs'
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { defineKit } from 'jexo'
import { type FeedSource, growingFileSource, type WrapFeedOptions, webSocketSource, wrapFeed } from 'jexo/feed'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { WebSocketServer } from 'ws'
import { fieldsOfRecords } from '../../src/wrap/feed/infer/records.js'
import { newFolder } from '../support/cli.js'
import { freePort } from '../support/databases.js'

const endings: (() => unknown)[] = []
afterEach(async () => {
  for (const end of endings.splice(0).reverse()) await end()
})

const channels = { weight: { topic: '{hive}', field: 'kg', unit: 'kg' } }

async function linkTo(source: FeedSource, more: WrapFeedOptions = {}, environment: Record<string, string> = {}) {
  const parts = await wrapFeed(source, { name: 'scales', channels, topic: '{hive}', updateEveryMs: 20, ...more })
  const link = await connect(defineKit({ name: 'k', version: '1', parts }), { environment, report: () => {} })
  endings.push(() => link.close())
  return link
}
const weights = async (link: Link): Promise<Record<string, unknown>> => {
  const { structuredContent } = await link.call('latest_scales_weight', {})
  const { readings = [] } = (structuredContent ?? {}) as { readings?: { hive: string; value: unknown }[] }
  return Object.fromEntries(readings.map(({ hive, value }) => [hive, value]))
}
const status = async (link: Link) => JSON.parse((await link.read('scales://status')).contents[0]?.text ?? '')
async function until<T>(look: () => Promise<T>, holds: (found: T) => boolean): Promise<T> {
  for (;;) {
    const found = await look()
    if (holds(found)) return found
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
}

async function serve(answer: (request: IncomingMessage, response: ServerResponse) => void): Promise<string> {
  const port = await freePort()
  const server = createServer(answer)
  await new Promise<void>((resolve) => server.listen(port, '127.0.0.1', resolve))
  endings.push(
    () => new Promise((resolve) => server.close(resolve)),
    () => server.closeAllConnections(),
  )
  return `http://127.0.0.1:${port}`
}

describe('a stream over HTTP', () => {
  test('of server-sent events resumes after the last event when it breaks', async () => {
    const asked: (string | undefined)[] = []
    const url = await serve(({ headers }, response) => {
      asked.push(headers['last-event-id'] as string | undefined)
      response.writeHead(200, { 'content-type': 'text/event-stream' })
      const round = asked.length
      response.write(`: a comment\nid: ${round}\ndata: {"hive":"ML-01",\ndata: "kg":${40 + round}}\n\n`)
      response.write(`data: {"hive":"ML/2","kg":null}\n\ndata: no JSON\n\ndata: {"kg":1}\n\n`)
      if (round === 1) response.end()
    })
    const link = await linkTo(url)
    expect(
      await until(
        () => weights(link),
        (found) => found['ML-01'] === 42,
      ),
    ).toStrictEqual({ 'ML-01': 42, 'ML%2F2': null })
    expect(asked).toStrictEqual([undefined, '1'])
    expect(await status(link)).toMatchObject({ connection: { state: 'connected', losses: 1 } })
  })

  test('of JSON lines sends its token only to its own origin', async () => {
    const elsewhere = await serve(({ headers }, response) => void response.end(String(headers.authorization)))
    const url = await serve(({ headers, url: path }, response) => {
      if (path === '/away') return void response.writeHead(302, { location: elsewhere }).end()
      if (headers.authorization !== 'Bearer smoke') return void response.writeHead(401).end()
      response.writeHead(200, { 'content-type': 'application/x-ndjson' })
      response.write(`{"hive":"ML-01","kg":1}\n${'x'.repeat(1_100_000)}\n{"hive":"ML-02","kg":2}\n{"hive"`)
    })
    const link = await linkTo(url, {}, { SCALES_PASSWORD: 'smoke' })
    expect(
      await until(
        () => weights(link),
        (found) => 'ML-02' in found,
      ),
    ).toStrictEqual({ 'ML-01': 1, 'ML-02': 2 })
    for (const [place, reason] of [
      [url, 'refused the user or password'],
      [`${url}/away`, 'cannot be reached'],
    ])
      expect(await status(await linkTo(place as string))).toMatchObject({
        connection: { state: 'unavailable', reason: expect.stringContaining(reason as string) },
      })
  })

  test('with an endless event is dropped and reopened', async () => {
    let rounds = 0
    const url = await serve((_request, response) => {
      rounds++
      response.writeHead(200, { 'content-type': 'text/event-stream' })
      response.write('data: {"hive":"ML-01","kg":1}\n\n')
      if (rounds === 1) response.write(`data: ${'x'.repeat(1_200_000)}`)
      response.write('')
    })
    const link = await linkTo(url)
    await link.call('latest_scales_weight', {})
    await until(
      async () => rounds,
      (count) => count === 2,
    )
    expect(rounds).toBe(2)
  })
})

test('a WebSocket of JSON messages reconnects, and is closed by a message that is too long', async () => {
  const port = await freePort()
  const server = new WebSocketServer({ port, host: '127.0.0.1' })
  endings.push(() => new Promise((resolve) => server.close(resolve)))
  const tokens: (string | undefined)[] = []
  server.on('connection', (socket, { headers }) => {
    tokens.push(headers.authorization)
    socket.send(JSON.stringify({ hive: 'ML-01', kg: tokens.length }))
    socket.send(Buffer.from([0xff, 0xfe]))
    if (tokens.length === 1) socket.send('x'.repeat(1_100_000))
  })
  const link = await linkTo(`ws+json://:smoke@127.0.0.1:${port}/live`)
  await until(
    () => weights(link),
    (found) => found['ML-01'] === 2,
  )
  expect(tokens).toStrictEqual(['Bearer smoke', 'Bearer smoke'])
  expect((await status(link)).connection.losses).toBe(1)
  for (const socket of server.clients) socket.terminate()
  const gone = await linkTo(webSocketSource(`ws://127.0.0.1:${await freePort()}`))
  expect(await gone.call('latest_scales_weight', {})).toMatchObject({ isError: true })
})

describe('a growing file', () => {
  test('is followed when it is replaced, truncated or missing for a while', async () => {
    const file = join(newFolder(), 'readings.ndjson')
    const line = (kg: number) => `${JSON.stringify({ hive: 'ML-01', kg })}\n`
    writeFileSync(file, `${'{"hive":"ML-09","kg":9}\n'.repeat(60_000)}${line(1)}{"hive":"ML-`)
    const link = await linkTo(pathToFileURL(file))
    const shows = (kg: number) =>
      until(
        () => weights(link),
        (found) => found['ML-01'] === kg,
      )
    await shows(1)
    appendFileSync(file, `02","kg":7}\n${line(2)}`)
    expect(await shows(2)).toMatchObject({ 'ML-02': 7 })
    writeFileSync(file, line(3))
    await shows(3)
    renameSync(file, `${file}.1`)
    await until(
      () => status(link),
      ({ connection }) => connection.state === 'lost',
    )
    expect((await status(link)).connection.reason).toBe('the file does not exist')
    writeFileSync(file, `${line(30)}${line(4)}`)
    await shows(4)
  })

  test('must exist at first, and must be named by a URL or an absolute path', async () => {
    const link = await linkTo(growingFileSource(new URL('file:///nowhere/readings.ndjson')))
    expect(await status(link)).toMatchObject({ connection: { state: 'unavailable' } })
  })
})

describe('a webhook', () => {
  const post = (url: string, body: string, headers: Record<string, string> = {}, method = 'POST') =>
    fetch(url, {
      method,
      headers: { 'content-type': 'application/json', ...headers },
      ...(method === 'GET' ? {} : { body }),
    })

  test('accepts posted readings as soon as the server starts', async () => {
    const at = `127.0.0.1:${await freePort()}/hook`
    const link = await linkTo(`webhook://${at}`, { topic: '{hive}' })
    const url = `http://${at}`
    const reading = '{"hive":"ML-01","kg":1}'
    await until(
      () => fetch(url).catch(() => undefined),
      (found) => found !== undefined,
    )
    const lines = { 'content-type': 'application/x-ndjson; charset=utf-8' }
    const cases: [number, string, string, Record<string, string>?, string?][] = [
      [204, url, reading],
      [204, url, '[{"hive":"ML-02","kg":2},{"hive":"ML-03","kg":3},4]'],
      [204, `${url}/deeper?x=1`, '{"hive":"ML-04","kg":4}\n\n{"hive":"ML-05","kg":5}\nx', lines],
      [400, url, '{'],
      [403, url, reading, { origin: 'http://evil.example' }],
      [404, `http://${at}er`, reading],
      [405, url, '', {}, 'GET'],
      [413, url, `"${'x'.repeat(1_100_000)}"`],
      [413, url, `[${'1,'.repeat(20_000)}1]`],
      [415, url, reading, { 'content-type': 'text/plain' }],
    ]
    const answers = []
    for (const [, place, body, headers, method] of cases)
      answers.push(
        await post(place, body, headers, method).then(
          ({ status: code }) => code,
          () => 413,
        ),
      )
    expect(answers).toStrictEqual(cases.map(([code]) => code))
    expect(await weights(link)).toStrictEqual({ 'ML-01': 1, 'ML-02': 2, 'ML-03': 3, 'ML-04': 4, 'ML-05': 5 })
  })

  test('with a secret requires the secret or a signature', async () => {
    const at = `127.0.0.1:${await freePort()}/hook`
    const link = await linkTo(`webhook://:smoke@${at}`, { topic: '{hive}' })
    const body = '{"hive":"ML-01","kg":1}'
    const url = `http://${at}`
    await until(
      () => fetch(url).catch(() => undefined),
      (found) => found !== undefined,
    )
    const signature = (secret: string) => ({
      'x-signature-256': `sha256=${createHmac('sha256', secret).update(body).digest('hex')}`,
    })
    const given = [
      {},
      { authorization: 'Bearer smok' },
      signature('other'),
      { authorization: 'Bearer smoke' },
      signature('smoke'),
    ]
    const codes = []
    for (const headers of given) codes.push((await post(url, body, headers as Record<string, string>)).status)
    expect(codes).toStrictEqual([401, 401, 401, 204, 204])
    expect(await weights(link)).toStrictEqual({ 'ML-01': 1 })
  })

  test.each([
    [
      'webhook://0.0.0.0:8787/x',
      /other machines can reach the webhook on 0.0.0.0, and it has no secret; set SCALES_PASSWORD/,
    ],
    ['webhook://127.0.0.1:99999/x', /not a supported kind of feed/],
  ])('%s does not open', async (address, reason) => {
    const reports: string[] = []
    const parts = await wrapFeed(address, { name: 'scales', channels })
    const link = await connect(defineKit({ name: 'k', version: '1', parts }), {
      environment: {},
      report: ({ text }) => reports.push(text),
    })
    endings.push(() => link.close())
    await link.call('latest_scales_weight', {})
    expect(reports.join('\n')).toMatch(reason)
  })
})

describe('channels of messages without topics', () => {
  const heard = (values: unknown[], topic = 'message') => values.map((value) => ({ topic, value }))
  test.each<[string, ReturnType<typeof heard>, string | undefined, Record<string, unknown>]>([
    [
      'fields that say which, and a field each',
      heard([
        { hive: 'ML-01', kg: 1, state: 'fine', at: 1 },
        { hive: 'ML-02', kg: 2, state: 'tipped', at: 2 },
      ]),
      '{hive}',
      {
        kg: { topic: '{hive}', field: 'kg', timeField: 'at' },
        state: { topic: '{hive}', field: 'state', timeField: 'at' },
      },
    ],
    [
      'a field that says what kind',
      heard([
        { metric: 'weight', sensor_id: 7, value: 1 },
        { metric: 'wind', sensor_id: 7, value: 2 },
      ]),
      '{metric}/{sensor_id}',
      {
        weight: { topic: 'weight/{sensor_id}', field: 'value' },
        wind: { topic: 'wind/{sensor_id}', field: 'value' },
      },
    ],
    [
      'names of events',
      [...heard([{ hive: 'ML-01', kg: 1 }], 'weight'), ...heard([{ hive: 'ML-01', code: 1 }], 'state')],
      '{*}/{hive}',
      { weight: { topic: 'weight/{hive}', field: 'kg' }, state: { topic: 'state/{hive}', field: 'code' } },
    ],
    [
      'nothing that tells them apart',
      heard([{ kg: 1, wind: 2 }]),
      undefined,
      { kg: { topic: 'message', field: 'kg' }, wind: { topic: 'message', field: 'wind' } },
    ],
    [
      'a field that only sometimes looks like a name',
      heard([
        { note: 'ML-01', kg: 1 },
        { note: 'shed', kg: 2 },
      ]),
      undefined,
      { note: { topic: 'message', field: 'note' }, kg: { topic: 'message', field: 'kg' } },
    ],
    ['plain values', heard([1, 2]), undefined, { message: { topic: 'message' } }],
  ])('%s', (_title, given, topic, expected) => {
    const found = fieldsOfRecords(given, 'file:///a/readings.ndjson')
    expect(found.topic).toBe(topic)
    expect(found.channels).toStrictEqual(expected)
    expect(found.name).toBe('readings')
  })

  test('hostile messages create few channels, with valid names', () => {
    const wide = Object.fromEntries(Array.from({ length: 5000 }, (_, at) => [`f${at}`, at]))
    const found = fieldsOfRecords(heard([wide, { __proto__: 1, 'id/{x}': 'a1', '': 2 }, null, [[]]]), 'https://x')
    expect(Object.keys(found.channels)).toStrictEqual(['message'])
  })
})
