import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { defineKit, tool } from 'jexo'
import { issuerTokens, namedTokens } from 'jexo/access'
import { nodeHandler } from 'jexo/node'
import { addToken } from '../../src/access/edit-tokens.js'
import { newestRevision } from '../../src/protocol/revisions.js'
import { accessSubject } from '../../src/vet/access-subject.js'
import { WireCheck } from '../../src/vet/wire/check.js'
import { httpServer } from '../../src/vet/wire/http-talk.js'
import { accessRows } from '../../src/vet/wire/rows/access.js'
import { newFolder } from '../support/cli.js'
import { Issuer } from '../support/issuer.js'

const kit = defineKit({
  name: 'gated',
  version: '1.0.0',
  parts: [tool('who', { about: 'Who.', effect: 'read', run: () => 'me' })],
})

let issuer: Issuer
beforeAll(async () => {
  issuer = await Issuer.start()
})
afterAll(() => issuer.close())

type Misbehave = (request: IncomingMessage, response: ServerResponse, token: string) => void

/** The failing rows for a correct server whose requests and responses are changed. */
async function brokenRows(misbehave: Misbehave): Promise<string[]> {
  let token = ''
  const handler = nodeHandler(kit, { access: issuerTokens({ issuer: issuer.url }) })
  const server = createServer((request, response) => {
    misbehave(request, response, token)
    if (!response.headersSent) handler(request, response)
  })
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/mcp`
  token = await issuer.token(url)
  const headers = { authorization: `Bearer ${token}` }
  const check = new WireCheck(httpServer(url, headers), newestRevision, await accessSubject(url, headers), {
    stepMs: 2000,
  })
  const broken: string[] = []
  for (const row of accessRows) {
    const outcome = await check.check(row)
    if (outcome.verdict !== 'met') broken.push(row.id.slice('access/'.length))
  }
  await check.close()
  server.closeAllConnections()
  await new Promise((done) => server.close(done))
  return broken
}

/** Changes the headers of responses. */
const answering = (response: ServerResponse, change: (name: string, value: string) => string | undefined) => {
  const { writeHead } = response
  response.writeHead = ((status: number, headers: Record<string, string>) => {
    const changed = Object.entries(headers).flatMap(([name, value]) => {
      const after = change(name.toLowerCase(), String(value))
      return after === undefined ? [] : [[name, after] as const]
    })
    return writeHead.call(response, status, Object.fromEntries(changed))
  }) as typeof writeHead
}
const isFor = (request: IncomingMessage, part: string) => (request.url ?? '').includes(part)

test.each<[string, Misbehave, string[]]>([
  ['does everything right', () => {}, []],
  [
    'takes tokens from the query',
    (request, _, token) => {
      if (isFor(request, 'access_token')) request.headers.authorization = `Bearer ${token}`
    },
    ['token-in-query'],
  ],
  [
    'asks for no token within a session',
    (request, _, token) => {
      if (request.headers['mcp-session-id']) request.headers.authorization ??= `Bearer ${token}`
    },
    ['session-without-token', 'delete-without-token'],
  ],
  [
    'accepts unsigned and forged tokens',
    (request, _, token) => {
      if (/^Bearer eyJ/.test(request.headers.authorization ?? '')) request.headers.authorization = `Bearer ${token}`
    },
    ['unsigned-token', 'forged-token'],
  ],
  [
    'sends no challenge',
    (_, response) => answering(response, (name, value) => (name === 'www-authenticate' ? undefined : value)),
    [
      'no-token',
      'session-without-token',
      'not-a-token',
      'unsigned-token',
      'forged-token',
      'other-scheme',
      'challenge-names-metadata',
    ],
  ],
  [
    'names an error where no token was sent',
    (request, response) =>
      request.headers.authorization === undefined &&
      answering(response, (name, value) =>
        name === 'www-authenticate' ? `${value}, error="invalid_token"` : value,
      ),
    ['no-token'],
  ],
  [
    'keeps its metadata from pages',
    (_, response) =>
      answering(response, (name, value) => (name === 'access-control-allow-origin' ? undefined : value)),
    ['metadata-for-pages'],
  ],
  [
    'has metadata of another server',
    (request, response) =>
      isFor(request, 'oauth-protected-resource') &&
      response
        .writeHead(200, { 'content-type': 'application/json', 'access-control-allow-origin': '*' })
        .end(JSON.stringify({ resource: 'https://other.example/mcp', authorization_servers: [issuer.url] })),
    ['metadata'],
  ],
])('vet --wire finds a server that %s', async (_what, misbehave, expected) => {
  expect(await brokenRows(misbehave)).toStrictEqual(expected)
})

test('a server with its own tokens and no sign-in is checked without the metadata rows; one without tokens skips all', async () => {
  const file = `${newFolder()}/callers.tokens.jsonl`
  const token = await addToken(file, { name: 'ada', scopes: [] })
  for (const [access, left] of [
    [namedTokens(file), 3],
    [undefined, accessRows.length],
  ] as const) {
    const server = createServer(nodeHandler(kit, access ? { access } : {}))
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
    const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/mcp`
    const headers = { authorization: `Bearer ${token}` }
    const check = new WireCheck(httpServer(url, headers), newestRevision, await accessSubject(url, headers))
    const outcomes = await Promise.all(accessRows.map((row) => check.check(row)))
    expect(outcomes.filter(({ verdict }) => verdict === 'broken')).toStrictEqual([])
    expect(outcomes.filter(({ verdict }) => verdict === 'not-applicable')).toHaveLength(left)
    await check.close()
    server.closeAllConnections()
    server.close()
  }
})
