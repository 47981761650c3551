import { context, metrics as meters, propagation, trace } from '@opentelemetry/api'
import { metrics, NodeSDK, tracing } from '@opentelemetry/sdk-node'
import { defineKit, layer, type Part, prompt, Refusal, tool } from 'jexo'
import { limitRate } from 'jexo/layers'
import { connect } from 'jexo/node'
import { openTelemetry } from '../../src/telemetry/open-telemetry.js'
import { RawSession } from '../support/raw-session.js'

const spans = new tracing.InMemorySpanExporter()
const figures = new metrics.InMemoryMetricExporter(metrics.AggregationTemporality.CUMULATIVE)
const reader = new metrics.PeriodicExportingMetricReader({ exporter: figures, exportIntervalMillis: 3_600_000 })
const sdk = new NodeSDK({
  spanProcessors: [new tracing.SimpleSpanProcessor(spans)],
  metricReaders: [reader],
  autoDetectResources: false,
})
beforeAll(() => {
  process.env.OTEL_LOGS_EXPORTER = 'none'
  sdk.start()
})
afterAll(async () => {
  await sdk.shutdown()
  // Other test files run in this process.
  for (const api of [trace, meters, context, propagation]) api.disable()
})
beforeEach(() => spans.reset())

type Run = (input: never, call: never) => unknown
const reads = (name: string, run: Run, more: object = {}): Part =>
  tool(name, { about: 'Reads.', effect: 'read', run, ...more } as never) as Part
const kitOf = (...parts: Part[]) => defineKit({ name: 'k', version: '1.0.0', parts })
const seen = () =>
  spans.getFinishedSpans().map((span) => ({
    name: span.name,
    kind: ['internal', 'server', 'client'][span.kind],
    parent: spans.getFinishedSpans().find((other) => other.spanContext().spanId === span.parentSpanContext?.spanId)
      ?.name,
    ...span.attributes,
    status: span.status.code === 2 ? 'error' : 'fine',
    events: span.events.map(({ name }) => name),
  }))
const spanOf = (name: string, kind = 'server') => seen().find((span) => span.name === name && span.kind === kind)

async function pointsOf(metric: string) {
  await reader.forceFlush()
  const all =
    figures
      .getMetrics()
      .at(-1)
      ?.scopeMetrics.flatMap(({ metrics }) => metrics) ?? []
  return (all.find(({ descriptor }) => descriptor.name === metric)?.dataPoints ?? []) as {
    attributes: Record<string, unknown>
    value: { count: number }
  }[]
}

test('a call is one trace: client, server, upstream requests, and spans of the author', async () => {
  const weigh: Run = (_, call: { upstream: (...words: unknown[]) => Promise<unknown> }) =>
    call.upstream('sql', 'select kg from weighings where hive = ?', () =>
      trace.getTracer('own').startActiveSpan('parse', (span) => {
        span.end()
        return 'x'
      }),
    )
  const link = await connect(kitOf(reads('weigh', weigh)))
  await link.call('weigh')
  await link.close()
  const called = seen().filter(({ name }) => /weigh|parse/i.test(name))
  expect(called).toStrictEqual([
    expect.objectContaining({ name: 'parse', parent: 'SELECT weighings' }),
    expect.objectContaining({
      name: 'SELECT weighings',
      kind: 'client',
      parent: 'tools/call weigh',
      'db.operation.name': 'SELECT',
      'db.query.text': 'select kg from weighings where hive = ?',
    }),
    expect.objectContaining({
      name: 'tools/call weigh',
      kind: 'server',
      parent: 'tools/call weigh',
      'mcp.method.name': 'tools/call',
      'mcp.protocol.version': '2025-11-25',
      'gen_ai.operation.name': 'execute_tool',
      'gen_ai.tool.name': 'weigh',
      'jsonrpc.request.id': '2',
    }),
    expect.objectContaining({ name: 'tools/call weigh', kind: 'client' }),
  ])
  expect(
    new Set(
      spans
        .getFinishedSpans()
        .slice(-4)
        .map((span) => span.spanContext().traceId),
    ).size,
  ).toBe(1)
})

test('a question to the person has its own span, and its answer belongs to the same trace', async () => {
  const ask: Run = (_, call: { askPerson: (...words: unknown[]) => Promise<unknown> }) =>
    call.askPerson('Sure?', { type: 'object', properties: { sure: { type: 'boolean' } } })
  const link = await connect(kitOf(reads('ask', ask)), { onQuestion: () => ({ action: 'decline' }) })
  await link.call('ask')
  await link.close()
  expect(spanOf('elicitation/create', 'client')).toMatchObject({ parent: 'tools/call ask' })
  expect(spanOf('elicitation/create', 'server')).toMatchObject({ parent: 'elicitation/create' })
})

const outcomes: [string, object, object][] = [
  ['a tool that fails', { method: 'tools/call', params: { name: 'fails' } }, { 'error.type': 'tool_error' }],
  [
    'a name that the caller made up',
    { method: 'tools/call', params: { name: 'x'.repeat(5000) } },
    { name: 'tools/call', 'error.type': '-32602', 'rpc.response.status_code': '-32602' },
  ],
  [
    'a method that the caller made up',
    { method: 'no/such', params: {} },
    { name: '_OTHER', 'mcp.method.name': '_OTHER', 'error.type': '-32601' },
  ],
  [
    'a prompt',
    { method: 'prompts/get', params: { name: 'plan' } },
    { name: 'prompts/get plan', 'gen_ai.prompt.name': 'plan' },
  ],
  [
    'a resource',
    { method: 'resources/read', params: { uri: 'hive://1' } },
    { name: 'resources/read', 'mcp.resource.uri': 'hive://1', 'error.type': '-32002' },
  ],
]
test.each(outcomes)('of %s', async (_, request, expected) => {
  const fails = reads('fails', () => {
    throw new Refusal('No.')
  })
  const plan = prompt('plan', { about: 'Plans.', run: () => 'x' }) as Part
  const session = new RawSession(
    kitOf(fails, plan),
    { telemetry: openTelemetry() },
    { network: 'tcp', sessionId: 's1' },
  )
  await session.initialize('2025-11-25')
  spans.reset()
  const { method, params } = request as { method: string; params: object }
  await session.ask(method, params)
  expect(seen()).toStrictEqual([
    expect.objectContaining({ 'mcp.session.id': 's1', 'network.transport': 'tcp', ...expected }),
  ])
  expect(seen()[0]?.status).toBe('error.type' in expected ? 'error' : 'fine')
})

test('a cancelled request ends its span at once, not when its function returns', async () => {
  const session = new RawSession(kitOf(reads('hangs', () => new Promise(() => {}))), { telemetry: openTelemetry() })
  await session.initialize('2025-11-25')
  session.give({ jsonrpc: '2.0', id: 9, method: 'tools/call', params: { name: 'hangs' } })
  session.give({ jsonrpc: '2.0', method: 'notifications/cancelled', params: { requestId: 9 } })
  expect(spanOf('tools/call hangs')).toMatchObject({ 'error.type': 'cancelled', status: 'error' })
})

test('layers are events of the call that they wrap', async () => {
  const noting = layer('shelf', async (_, next, note) => {
    note('answered', { age: 3, of: 'x' })
    return next()
  })
  const kit = defineKit({
    name: 'k',
    version: '1',
    layers: [noting, limitRate({ calls: 1, perMs: 60_000 })],
    parts: [reads('any', () => 'x')],
  })
  const link = await connect(kit)
  await link.call('any')
  await link.call('any')
  await link.close()
  const events = seen()
    .filter(({ name, kind }) => name === 'tools/call any' && kind === 'server')
    .map((span) => span.events)
  expect(events).toStrictEqual([['shelf answered'], ['shelf answered', 'limitRate refused']])
})

const parent = { trace: '0af7651916cd43dd8448eb211c80319c', span: 'b7ad6b7169203331' }
const traceparent = `00-${parent.trace}-${parent.span}-01`
const carried: [string, object, boolean][] = [
  ['a trace', { traceparent }, true],
  ['a trace with vendors and baggage', { traceparent, tracestate: 'a=1,b=2', baggage: 'apiary=marsh' }, true],
  ['nothing', {}, false],
  ['a number', { traceparent: 5 }, false],
  ['a list', { traceparent: [traceparent] }, false],
  ['an id of zeros', { traceparent: `00-${'0'.repeat(32)}-${parent.span}-01` }, false],
  ['letters that are no hexadecimal', { traceparent: traceparent.replace('0af', 'xyz') }, false],
  ['a line break', { traceparent: `${traceparent}\r\nx: y` }, false],
  ['a megabyte', { traceparent: traceparent.padEnd(1_000_000, '0') }, false],
  [
    'a good one with a megabyte beside it',
    { traceparent, tracestate: 'a=1,'.repeat(250_000), baggage: 'a=b,'.repeat(250_000) },
    true,
  ],
]
test.each(carried)('a peer that sends %s', async (_, meta, isTaken) => {
  let headers: Record<string, string> | undefined
  const look: Run = (_, call: { upstream: (...words: unknown[]) => Promise<unknown> }) =>
    call.upstream('http', 'GET https://api.example/x', (notes: { traceHeaders?: Record<string, string> }) => {
      headers = notes.traceHeaders
      return 'x'
    })
  const session = new RawSession(kitOf(reads('look', look)), { telemetry: openTelemetry() })
  await session.initialize('2025-11-25')
  await session.ask('tools/call', { name: 'look', _meta: meta })
  const found = spans.getFinishedSpans().find(({ name }) => name === 'tools/call look')
  expect(found?.spanContext().traceId === parent.trace).toBe(isTaken)
  expect(found?.parentSpanContext?.spanId).toBe(isTaken ? parent.span : undefined)
  const inner = spans
    .getFinishedSpans()
    .find(({ name }) => name === 'GET')
    ?.spanContext()
  expect(headers?.traceparent).toBe(`00-${inner?.traceId}-${inner?.spanId}-01`)
  expect(JSON.stringify(headers).length).toBeLessThan(20_000)
})

test('histograms count by method, name, revision and outcome, and sessions when they end', async () => {
  const link = await connect(kitOf(reads('counted', () => 'x')))
  for (let at = 0; at < 5; at++) await link.call('counted')
  await link.close()
  for (const side of ['server', 'client']) {
    const points = await pointsOf(`mcp.${side}.operation.duration`)
    const point = points.find(({ attributes }) => attributes['gen_ai.tool.name'] === 'counted')
    expect(point).toMatchObject({
      attributes: { 'mcp.method.name': 'tools/call', 'mcp.protocol.version': '2025-11-25' },
      value: { count: 5 },
    })
    expect((await pointsOf(`mcp.${side}.session.duration`)).length).toBeGreaterThan(0)
  }
})

test('with false, nothing is recorded', async () => {
  const link = await connect(kitOf(reads('quiet', () => 'x')), { telemetry: false })
  await link.call('quiet')
  await link.close()
  expect(seen()).toStrictEqual([])
})
