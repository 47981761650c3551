/**
 * A measured process: `server.mjs jexo-http | jexo-access | jexo-layers | jexo-redis | bare-http | jexo-stdio | bare-stdio`. Over IPC it
 * reports its CPU time and heap.
 */
import { createServer } from 'node:http'
import { exportJWK, generateKeyPair, SignJWT } from 'jose'
import { issuerTokens } from '../dist/access.js'
import { layer } from '../dist/index.js'
import { serveHttp, serveStdio } from '../dist/node.js'
import { kitOf, output } from './kit.mjs'

// The number of tools, or the address of the store; the number of layers that do nothing; the characters in each
// result.
const [, , kind, tools = '1', layerCount = '10', characters = '0'] = process.argv
const note = 'x'.repeat(Number(characters))
const result = Number(characters) > 0 ? { ...output, note } : output
const idleLayers = (count) => Array.from({ length: count }, (_, at) => layer(`l${at}`, (_call, next) => next()))

process.on('message', (ask) => {
  if (ask === 'heap') globalThis.gc?.()
  const { user, system } = process.cpuUsage()
  process.send({ cpuMicros: user + system, heapBytes: process.memoryUsage().heapUsed })
})

/** The minimum work of a server: parse the request, make the result, serialize it. */
function bareAnswer(text) {
  const { id, params } = JSON.parse(text)
  if (params?.arguments?.hive === undefined) return JSON.stringify({ jsonrpc: '2.0', id, result: {} })
  const body = JSON.stringify(result)
  return JSON.stringify({
    jsonrpc: '2.0',
    id,
    result: { content: [{ type: 'text', text: body }], structuredContent: result },
  })
}

if (kind === 'jexo-http') {
  const { url } = await serveHttp(kitOf(Number(tools), [], result), { limits: { maxSessions: 100_000 } })
  process.send({ url })
}
if (kind === 'jexo-redis') {
  const { redisStore } = await import('../dist/redis.js')
  const { url } = await serveHttp(kitOf(), { store: redisStore(tools), limits: { maxSessions: 100_000 } })
  while ((await fetch(new URL('/health/ready', url))).status !== 200) await new Promise((go) => setTimeout(go, 20))
  process.send({ url })
}
if (kind === 'jexo-layers') {
  const { url } = await serveHttp(kitOf(Number(tools), idleLayers(Number(layerCount))))
  process.send({ url })
}
if (kind === 'jexo-access') {
  // Tokens of an issuer whose keys are local.
  const keys = await generateKeyPair('ES256', { extractable: true })
  const jwk = { ...(await exportJWK(keys.publicKey)), kid: 'one', use: 'sig', alg: 'ES256' }
  const issuer = createServer((request, response) => {
    response.setHeader('content-type', 'application/json')
    response.end(JSON.stringify(request.url === '/keys' ? { keys: [jwk] } : { issuer: at, jwks_uri: `${at}/keys` }))
  })
  await new Promise((listening) => issuer.listen(0, '127.0.0.1', listening))
  const at = `http://127.0.0.1:${issuer.address().port}`
  const { url } = await serveHttp(kitOf(Number(tools), idleLayers(layerCount === '1' ? 1 : 0)), {
    access: issuerTokens({ issuer: at, scopes: ['hives'] }),
  })
  const token = await new SignJWT({ scope: 'hives', client_id: 'perf' })
    .setProtectedHeader({ alg: 'ES256', kid: 'one', typ: 'at+jwt' })
    .setIssuer(at)
    .setAudience(url)
    .setSubject('ada')
    .setIssuedAt()
    .setExpirationTime('1h')
    .sign(keys.privateKey)
  process.send({ url, token })
}
if (kind === 'bare-http') {
  const server = createServer((request, response) => {
    const chunks = []
    request.on('data', (chunk) => chunks.push(chunk))
    request.on('end', () => {
      const text = bareAnswer(String(Buffer.concat(chunks)))
      response.writeHead(200, { 'content-type': 'application/json', 'content-length': Buffer.byteLength(text) })
      response.end(text)
    })
  })
  server.listen(0, '127.0.0.1', () => process.send({ url: `http://127.0.0.1:${server.address().port}/mcp` }))
}
if (kind === 'jexo-stdio') await serveStdio(kitOf())
if (kind === 'bare-stdio') {
  let held = ''
  process.stdin.on('data', (chunk) => {
    held += chunk
    for (let at = held.indexOf('\n'); at >= 0; at = held.indexOf('\n')) {
      process.stdout.write(`${bareAnswer(held.slice(0, at))}\n`)
      held = held.slice(at + 1)
    }
  })
  process.stdin.on('end', () => process.exit(0))
}
