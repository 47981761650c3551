import { createServer } from 'node:http'
import type { RunningKit } from '../engine/running-kit.js'
import type { Observer } from '../engine/running-options.js'
import { transportErrors } from '../transport/errors.js'
import type { HttpAddress } from './address.js'
import { observeCalls } from './observe-calls.js'

/** Metrics of a server in the Prometheus text format. */
export interface Metrics {
  readonly observer: Observer
  readonly contentType: string
  /** Counts the sessions of this kit. */
  watch(running: RunningKit): void
  /** Counts an uncaught error. */
  countStray(): void
  text(): Promise<string>
  /** The same metrics as data, to be summed over several processes. */
  data(): Promise<unknown>
}

/** Calls by tool and outcome, their durations, sessions, and metrics of the Node process. */
export async function newMetrics(labels: Readonly<Record<string, string>>): Promise<Metrics> {
  const { Counter, Gauge, Histogram, Registry, collectDefaultMetrics } = (await import('prom-client')).default
  const registry = new Registry()
  registry.setDefaultLabels(labels)
  collectDefaultMetrics({ register: registry })
  const registers = [registry]
  const requests = new Counter({
    name: 'jexo_requests_total',
    help: 'Completed requests from hosts.',
    labelNames: ['method', 'outcome'],
    registers,
  })
  const calls = new Counter({
    name: 'jexo_tool_calls_total',
    help: 'Completed tool calls.',
    labelNames: ['tool', 'outcome'],
    registers,
  })
  const durations = new Histogram({
    name: 'jexo_tool_call_duration_seconds',
    help: 'Duration of tool calls.',
    labelNames: ['tool'],
    buckets: [0.005, 0.02, 0.1, 0.5, 2, 10, 60],
    registers,
  })
  const strays = new Counter({
    name: 'jexo_uncaught_errors_total',
    help: 'Uncaught errors of the kit.',
    registers,
  })
  const kits: RunningKit[] = []
  const known = (tool: string) => kits.some(({ index }) => index.tools.has(tool))
  new Gauge({
    name: 'jexo_sessions',
    help: 'Open sessions.',
    registers,
    // Processes that share sessions all report the total number.
    aggregator: 'max',
    async collect() {
      const counts = await Promise.all(kits.map((running) => running.countSessions()))
      this.set(counts.reduce((sum, count) => sum + count, 0))
    },
  })
  return {
    observer: observeCalls(({ method, name, outcome, durationMs }) => {
      requests.inc({ method: methods.has(method) ? method : 'other', outcome })
      if (method !== 'tools/call') return
      // Callers can send any name; unknown names are counted together.
      const tool = name !== undefined && known(name) ? name : 'unknown'
      calls.inc({ tool, outcome })
      durations.observe({ tool }, durationMs / 1000)
    }),
    contentType: registry.contentType,
    countStray: () => strays.inc(),
    watch: (running) => void kits.push(running),
    text: () => registry.metrics(),
    data: () => registry.getMetricsAsJSON(),
  }
}

const methods = new Set([
  ...['initialize', 'ping', 'tools/list', 'tools/call', 'resources/list', 'resources/templates/list'],
  ...['resources/read', 'resources/subscribe', 'resources/unsubscribe', 'prompts/list', 'prompts/get'],
  ...['completion/complete', 'logging/setLevel'],
])

/** Serves the metrics on a separate port without authentication. Rejects if the port is taken. */
export async function serveMetrics(
  metrics: Pick<Metrics, 'contentType' | 'text'>,
  { host, port }: HttpAddress,
): Promise<{ url: string; close(): void }> {
  const server = createServer((request, response) => {
    if (request.url !== '/metrics') return void response.writeHead(404).end('The metrics are at /metrics.\n')
    metrics.text().then(
      (text) => response.writeHead(200, { 'content-type': metrics.contentType }).end(text),
      () => response.writeHead(500).end(),
    )
  })
  await new Promise<void>((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(error.code === 'EADDRINUSE' ? transportErrors.portTaken(host, port) : error),
    )
    server.listen(port, host, resolve)
  })
  const taken = server.address() as { port: number }
  const shown = host.includes(':') ? `[${host}]` : host
  return { url: `http://${shown}:${taken.port}/metrics`, close: () => server.close() }
}
