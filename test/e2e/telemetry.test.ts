import { symlinkSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { bin, jexo, newFolder, Running, root, run, written } from '../support/cli.js'
import { newCollector } from '../support/otlp.js'

afterAll(() => Running.endAll())

/** A third-party REST API with its own instrumentation: it supports traces and knows nothing of Jexo. */
const hivesApi = `import { createServer } from 'node:http'
import { createRequire } from 'node:module'
const require = createRequire(${JSON.stringify(join(root, 'package.json'))})
const { context, propagation, SpanKind, trace } = require('@opentelemetry/api')
const { NodeSDK } = require('@opentelemetry/sdk-node')
const sdk = new NodeSDK({ serviceName: 'hives-api' })
sdk.start()
const server = createServer((request, response) => {
  const sent = propagation.extract(context.active(), request.headers)
  const span = trace.getTracer('api').startSpan('GET /hives', { kind: SpanKind.SERVER }, sent)
  response.writeHead(200, { 'content-type': 'application/json' }).end('[{"hive":"ML-01"}]')
  span.end()
})
server.listen(0, '127.0.0.1', () => console.log('api at http://127.0.0.1:' + server.address().port + ' '))
process.on('SIGTERM', () => sdk.shutdown().finally(() => process.exit(0)))`

const description = (url: string) =>
  JSON.stringify({
    openapi: '3.1.0',
    info: { title: 'Hives', version: '1' },
    servers: [{ url }],
    paths: {
      '/hives': {
        get: { operationId: 'listHives', summary: 'Lists hives.', responses: { 200: { description: 'ok' } } },
      },
    },
  })

test('a command, a server over HTTP, a wrapped API and the API itself make one tree, and all figures agree', async () => {
  const collector = await newCollector()
  const own = { ...process.env, NO_COLOR: '1', OTEL_LOGS_EXPORTER: 'none', OTEL_METRICS_EXPORTER: 'none' }
  const api = new Running([written('api.mjs', hivesApi)], {
    env: { ...own, OTEL_EXPORTER_OTLP_ENDPOINT: collector.url } as Record<string, string>,
  })
  const [, apiUrl = ''] = (await api.until(/api at (\S+) /)) ?? []
  const kit = written(
    'hives.kit.mjs',
    `import { defineKit } from 'jexo'
    import { wrapOpenApi } from 'jexo/openapi'
    export default defineKit({ name: 'hives', version: '2.1.0', parts: await wrapOpenApi(${description(apiUrl)}, { baseUrl: '${apiUrl}' }) })`,
  )
  const server = new Running([
    bin,
    'serve',
    kit,
    '--http',
    '0',
    '--otlp',
    collector.url,
    '--log',
    'json',
    '--metrics',
  ])
  const [url = ''] = (await server.until(/http:[^"\s]+mcp/)) ?? []
  const called = await run(process.execPath, [bin, 'call', url, 'list_hives', '--otlp', collector.url])
  expect(called).toMatchObject({ code: 0, stdout: expect.stringContaining('ML-01') })
  const metrics = await (await fetch(new URL('/metrics', url))).text()
  const log = server.said
  await server.end()
  await api.end('SIGTERM')

  const mine = collector.spans.filter(
    ({ trace }) => trace === collector.spans.find(({ name }) => name === 'jexo')?.trace,
  )
  const byId = new Map(mine.map((span) => [span.id, span]))
  const path = (id: string): string[] => {
    const span = byId.get(id)
    return span ? [...path(span.parent), `${span.service}: ${span.name}`] : []
  }
  const deepest = mine.find(({ service }) => service === 'hives-api')
  expect(path(deepest?.id ?? '')).toStrictEqual([
    'jexo: jexo',
    'jexo: tools/call list_hives',
    'hives: tools/call list_hives',
    'hives: GET',
    'hives-api: GET /hives',
  ])
  // One tree, with the command as its root.
  expect(mine.filter(({ parent }) => !byId.has(parent)).map(({ name }) => name)).toStrictEqual(['jexo'])
  expect(mine.find(({ service, name }) => service === 'hives' && name === 'GET')?.attributes).toMatchObject({
    'http.request.method': 'GET',
    'url.full': `${apiUrl}/hives`,
    'server.address': '127.0.0.1',
    'http.response.status_code': 200,
  })
  const answered = mine.find(({ service, name }) => service === 'hives' && name.startsWith('tools/call'))
  expect(answered?.attributes).toMatchObject({ 'network.transport': 'tcp', 'mcp.session.id': expect.any(String) })
  const line = log.split('\n').find((text) => text.includes('"name":"list_hives"'))
  expect(JSON.parse(line ?? '{}')).toMatchObject({ trace_id: answered?.trace, span_id: answered?.id })
  const counted = [...collector.points.values()].find(
    ({ metric, attributes }) =>
      metric === 'mcp.server.operation.duration' && attributes['gen_ai.tool.name'] === 'list_hives',
  )
  expect(counted).toMatchObject({ unit: 's', count: 1 })
  expect(metrics).toMatch(/jexo_tool_calls_total\{tool="list_hives",outcome="ok",kit="hives"\} 1/)
  expect(collector.requests.every((text) => text.endsWith('application/x-protobuf'))).toBe(true)
  collector.close()
})

const plain = `import { defineKit, tool } from 'jexo'
export default defineKit({ name: 'k', version: '1', parts: [tool('say', { about: 'Says.', effect: 'read', run: () => 'said' })] })`

test.each([
  ['refuses', { status: 500 }],
  ['is slow', { delayMs: 600_000 }],
])('a collector that %s delays nothing, and is reported once', async (_, behaviour) => {
  const collector = await newCollector(behaviour)
  const kit = written('k.kit.mjs', plain)
  const env = { ...process.env, NO_COLOR: '1', OTEL_RESOURCE_ATTRIBUTES: 'team=bees,service.name=marsh' }
  const ran = await run(process.execPath, [bin, 'call', kit, 'say', '--otlp', collector.url], { env })
  expect(new Set(collector.spans.map(({ service }) => service))).toStrictEqual(new Set(['marsh']))
  collector.close()
  expect(ran).toMatchObject({ code: 0, stdout: 'said\n' })
  expect(ran.stderr.match(/telemetry/g)?.length ?? 0).toBeLessThanOrEqual(2)
})

test('invalid options and a missing SDK are reported with the fix', async () => {
  const kit = written('k.kit.mjs', plain)
  const typed = await jexo('serve', kit, '--otlp', 'localhost:4318')
  expect(typed).toMatchObject({ code: 2, stderr: expect.stringContaining('such as http://127.0.0.1:4318') })
  const out = newFolder()
  expect((await jexo('pack', kit, '--out', out)).code).toBe(0)
  const file = join(out, 'k.mjs')
  const alone = await run(process.execPath, [file, '--otlp', 'http://127.0.0.1:9'], { cwd: out })
  expect(alone).toMatchObject({ code: 2, stderr: expect.stringContaining('npm install @opentelemetry/sdk-node') })
  const asked = { ...process.env, OTEL_EXPORTER_OTLP_ENDPOINT: 'http://127.0.0.1:9' } as Record<string, string>
  const byVariable = await run(process.execPath, [file], { cwd: out, env: asked })
  expect(byVariable).toMatchObject({
    code: 0,
    stderr: expect.stringContaining('npm install @opentelemetry/sdk-node'),
  })
  symlinkSync(join(root, 'node_modules'), join(dirname(file), 'node_modules'))
  const collector = await newCollector()
  const hello = {
    jsonrpc: '2.0',
    id: 1,
    method: 'initialize',
    params: { protocolVersion: '2025-11-25', capabilities: {}, clientInfo: { name: 'x', version: '1' } },
  }
  const beside = await run(process.execPath, [file, '--otlp', collector.url], {
    cwd: out,
    input: `${JSON.stringify(hello)}\n`,
  })
  collector.close()
  expect(beside.code).toBe(0)
  expect(collector.spans.map(({ service, name }) => `${service}: ${name}`)).toStrictEqual(['k: initialize'])
})
