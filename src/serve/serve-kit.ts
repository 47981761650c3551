import type { Engine } from '../engine/engine.js'
import type { RunningKit } from '../engine/running-kit.js'
import type { Observer } from '../engine/running-options.js'
import type { Identity } from '../kit/call.js'
import { except, namesIn, only } from '../kit/choose.js'
import type { Kit } from '../kit/kit.js'
import type { Part } from '../kit/part.js'
import type { Environment } from '../kit/settings.js'
import { catchStrayErrors, onStrayErrors, strayText } from '../kit-file/stray-errors.js'
import type { Store } from '../store/store.js'
import { startSdk } from '../telemetry/sdk.js'
import { transportErrors } from '../transport/errors.js'
import { isLoopback } from '../transport/http/checks.js'
import { runOnNode } from '../transport/node-run.js'
import { runStdio } from '../transport/stdio.js'
import { type AccessChoice, accessOf, everybodyIs } from './access-choice.js'
import { serveErrors } from './errors.js'
import { layersOf } from './layer-choice.js'
import { readLimits, type ServeLimits } from './limits.js'
import { jsonLog, type Log, textLog } from './log.js'
import type { Metrics } from './metrics.js'
import { allOf, type CallDone, observeCalls } from './observe-calls.js'
import type { RunOptions } from './options.js'
import { asWorker, type Worker } from './workers/worker.js'

export interface ServeOptions extends RunOptions {
  /** Parts to serve, by name, glob or `tag:…`; all by default. */
  only?: readonly string[]
  except?: readonly string[]
  /** Sends upstream records to hosts that ask for them. */
  showsUpstream?: boolean
  /** Observes all messages. */
  observer?: Observer
  /** Called with the running kit; returns a function that is called at the end. */
  onRunning?: (running: RunningKit, log: Log) => () => void
  environment?: Environment
  /** Makes stack traces of packed files readable. */
  readable?: (text: string) => string
}

/**
 * Serves a kit until stdin closes, or SIGTERM or SIGINT arrives. Prints its address and a line for each connecting host
 * to stderr. Callers over HTTP must send the token in `JEXO_TOKEN`, if it is set.
 */
export async function serveKit(kit: Kit, options: ServeOptions): Promise<void> {
  const environment = options.environment ?? process.env
  const limits = readLimits(environment)
  checkNames(options)
  const { form, level } = options.log
  const { name, version } = kit
  const traceNow = () => running?.telemetry?.activeIds() ?? {}
  const log = form === 'json' ? await jsonLog(level, { kit: name, version }, traceNow) : textLog(level)
  const warn = (text: string) => log.write('warning', text)
  const stopSdk = await startSdk({ otlp: options.otlp, service: { name, version }, warn })
  const metrics = options.metrics ? await metricsFor(kit) : undefined
  // For people each call is a detail; programs read logs for it.
  const tellsCalls = form === 'json' || level === 'debug'
  const observer = allOf([
    ...(options.observer ? [options.observer] : []),
    ...(tellsCalls ? [observeCalls((call) => logCall(log, call))] : []),
    ...(metrics ? [metrics.observer] : []),
  ])
  const { pageSize } = limits
  const layers = await layersOf(options.layers)
  const { readable = (text: string) => text } = options
  let running: RunningKit | undefined
  running = runOnNode(kit, {
    environment,
    choose: choiceOf(options, environment),
    showsUpstream: options.showsUpstream === true,
    report: ({ level, text }) => log.write(level, readable(text)),
    ...(observer ? { observer } : {}),
    ...(layers.length > 0 ? { layers } : {}),
    ...(pageSize === undefined ? {} : { pageSize }),
  })
  metrics?.watch(running)
  catchStrayErrors()
  const stopHearing = onStrayErrors((stray) => {
    metrics?.countStray()
    if (!stray.isRepeated) log.write('error', readable(strayText(stray)), { where: stray.where })
    // Waits until all output is written.
    if (options.endsOnStrayErrors) setTimeout(() => process.exit(1), 50)
  })
  const stop = options.onRunning?.(running, log)
  try {
    if (options.http) await serveOverHttp(running, options, { environment, limits, log, metrics })
    else await serveOverStdio(running, options.identity, limits, log)
  } finally {
    stop?.()
    stopHearing()
    await stopSdk?.()
  }
}

/** The parts after `--only` and `--except`; `JEXO_ONLY` narrows them further. */
function choiceOf({ only: chosen, except: left }: ServeOptions, environment: Environment) {
  const more = namesIn(environment.JEXO_ONLY ?? '')
  return (parts: readonly Part[]) => {
    const kept = chosen && chosen.length > 0 ? only(parts, chosen) : parts
    const rest = left && left.length > 0 ? except(kept, left) : kept
    return more.length > 0 ? only(rest, more) : rest
  }
}

/** A server for other machines without a known host name would refuse all of their requests. */
function checkNames({ http, publicUrl, allowedHosts, requireHost }: ServeOptions): void {
  if (!requireHost || !http || isLoopback(http.host) || publicUrl !== undefined || allowedHosts.length > 0) return
  throw serveErrors.publicWithoutName(`${http.host}:${http.port}`)
}

function serveOverStdio(
  running: RunningKit,
  identity: Identity | undefined,
  { maxBytes, graceMs }: ServeLimits,
  log: Log,
): Promise<void> {
  // A server that was started in a terminal waits silently otherwise.
  if (process.stdin.isTTY)
    log.write(
      'info',
      `${running.kit.name} waits for a host on stdin. To try it, run in another terminal: jexo loupe <kit file>, or jexo show <kit file>. Ctrl-C ends it.`,
    )
  return runStdio(running, {
    identity,
    onHost: (engine) => sayWhoConnected(engine, log),
    ...(maxBytes === undefined ? {} : { maxBytes }),
    ...(graceMs === undefined ? {} : { graceMs }),
  })
}

interface Surroundings {
  environment: Environment
  limits: ServeLimits
  log: Log
  metrics: Metrics | undefined
}

async function serveOverHttp(
  running: RunningKit,
  options: ServeOptions,
  { environment, limits, log, metrics }: Surroundings,
): Promise<void> {
  // A server on stdio starts without loading code for HTTP.
  const { serveHttp } = await import('../transport/node-http.js')
  const { host = '127.0.0.1', port = 0 } = options.http ?? {}
  const { path, publicUrl, allowedHosts, isOpenToAnyone, sshTunnel } = options
  const token = environment.JEXO_TOKEN
  const { identity } = options
  if (identity && (!isLoopback(host) || sshTunnel || publicUrl)) throw serveErrors.identityForOthers()
  const worker = asWorker()
  if (metrics) worker?.onMetrics(() => metrics.data())
  const store = await storeOf(options.store, worker)
  const chosen = await accessOf(options.access, token, (text) => log.write('warning', text))
  const access = identity ? everybodyIs(identity) : chosen
  if (sshTunnel && !access && !isOpenToAnyone) throw transportErrors.publicWithoutAccess(sshTunnel.destination)
  const service = await serveHttp(running, {
    host,
    port,
    allowedHosts,
    isOpenToAnyone,
    onHost: (engine) => sayWhoConnected(engine, log),
    limits: limits.http,
    ...(limits.drainMs === undefined ? {} : { drainMs: limits.drainMs }),
    ...(path === undefined ? {} : { path }),
    ...(publicUrl === undefined ? {} : { publicUrl }),
    ...(access ? { access } : {}),
    ...(store ? { store } : {}),
    ...(metrics && options.metrics === true ? { routes: { '/metrics': textRoute(metrics, worker) } } : {}),
  })
  const ends: (() => void)[] = []
  try {
    const { kit } = running
    const shown = publicUrl ?? service.url
    const whom = identity ? ` (every caller is ${identity.subject})` : needs(options.access, token)
    const words = `${kit.name} ${kit.version} at ${shown}${whom}`
    if (worker) worker.ready(shown, words)
    else log.write('info', words, { url: shown })
    if (metrics && typeof options.metrics === 'object' && !worker) {
      const { serveMetrics } = await import('./metrics.js')
      const { url, close } = await serveMetrics(metrics, options.metrics)
      ends.push(close)
      log.write('info', `metrics at ${url}`, { url })
    }
    if (sshTunnel) ends.push(await reachByTunnel(sshTunnel, service.url, publicUrl, log))
    const signal = await Promise.race([untilSignal(), ...(worker ? [worker.asked] : [])])
    if (!worker) log.write('info', `${signal}: finishing running calls`)
  } finally {
    for (const end of ends) end()
    const { cut } = await service.close()
    if (cut.length > 0) log.write('warning', `cut off: ${namesOf(cut)}`, { cut })
    await store?.close()
    worker?.end()
  }
}

/** Requirements for callers, for the line with the server's address. */
function needs({ issuer, tokens }: AccessChoice, token: string | undefined): string {
  const ways = [
    ...(token ? ['JEXO_TOKEN'] : []),
    ...(tokens === undefined ? [] : [`a token of ${tokens}`]),
    ...(issuer === undefined ? [] : [`a token of ${issuer}`]),
  ]
  return ways.length > 0 ? ` (callers need ${ways.join(' or ')})` : ''
}

/** `tool weigh_hive (2), resource hives://ML-04`. */
function namesOf(cut: readonly string[]): string {
  const counts = new Map<string, number>()
  for (const name of cut) counts.set(name, (counts.get(name) ?? 0) + 1)
  return [...counts].map(([name, count]) => (count > 1 ? `${name} (${count})` : name)).join(', ')
}

async function reachByTunnel(
  sshTunnel: NonNullable<ServeOptions['sshTunnel']>,
  url: string,
  publicUrl: string | undefined,
  log: Log,
): Promise<() => void> {
  const { openSshTunnel } = await import('./ssh-tunnel.js')
  const { port, pathname } = new URL(url)
  const close = await openSshTunnel(sshTunnel, Number(port), log)
  const far = publicUrl ?? `http://127.0.0.1:${(sshTunnel.remote ?? port).replace(/^.*:/, '')}${pathname}`
  log.write('info', `reached through ${sshTunnel.destination}, ${publicUrl ? 'at' : 'there at'} ${far}`, {
    url: far,
  })
  return close
}

async function metricsFor(kit: Kit): Promise<Metrics> {
  const { newMetrics } = await import('./metrics.js')
  return newMetrics({ kit: kit.name })
}

async function storeOf(url: string | undefined, worker: Worker | undefined): Promise<Store | undefined> {
  if (url === undefined) return worker?.store()
  const { redisStore } = await import('../store/redis/redis-store.js')
  return redisStore(url)
}

/** Combined metrics of all processes of a server. */
const textRoute = (metrics: Metrics, worker: Worker | undefined) => async () => ({
  status: 200,
  headers: { 'content-type': metrics.contentType },
  body: await (worker ? worker.metrics() : metrics.text()),
})

function logCall(log: Log, { method, name, outcome, durationMs, session, code }: CallDone): void {
  const what = name === undefined ? method : `${method} ${name}`
  const ofSession = session === undefined ? {} : { session }
  const fields = { method, ...(name === undefined ? {} : { name }), outcome, durationMs, ...ofSession }
  const level = log.form === 'text' ? 'debug' : 'info'
  log.write(level, `${what}: ${outcome}${code === undefined ? '' : ` ${code}`}, ${durationMs} ms`, {
    ...fields,
    ...(code === undefined ? {} : { code }),
  })
}

/** Reports the host, and uses the time until the first call to load what it needs. */
function sayWhoConnected(engine: Engine, log: Log): void {
  engine.running.warm()
  const { name = 'a host', version = '' } = engine.client ?? {}
  const revision = engine.revision.date
  log.write('info', `${`${name} ${version}`.trim()} connected, revision ${revision}`, {
    host: name,
    hostVersion: version,
    revision,
  })
}

/** Resolves with the signal that ends this process. */
export function untilSignal(): Promise<string> {
  return new Promise((resolve) => {
    for (const signal of ['SIGTERM', 'SIGINT'] as const) process.once(signal, () => resolve(signal))
  })
}
