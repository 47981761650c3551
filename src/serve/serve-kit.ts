import type { Engine } from '../engine/engine.js'
import type { Observer, RunningKit } from '../engine/running-kit.js'
import { except, namesIn, only } from '../kit/choose.js'
import type { Kit } from '../kit/kit.js'
import type { Part } from '../kit/part.js'
import type { Environment } from '../kit/settings.js'
import { runOnNode } from '../transport/node-run.js'
import { serveStdio } from '../transport/stdio.js'
import type { HttpAddress } from './address.js'
import { readLimits, type ServeLimits } from './limits.js'

export interface ServeOptions {
  /** Over HTTP at this address; on stdio where it is left out. */
  http?: HttpAddress
  path?: string
  publicUrl?: string
  isOpenToAnyone?: boolean
  /** Parts to serve, by name, glob or `tag:…`; all by default. */
  only?: readonly string[]
  except?: readonly string[]
  /** Tells hosts that ask for it what calls did outside. */
  showsUpstream?: boolean
  /** Sees everything that passes. */
  observer?: Observer
  /** Called with the running kit; gives what ends its work. */
  onRunning?: (running: RunningKit) => () => void
  environment?: Environment
}

/**
 * Serves a kit until it is told to stop: stdin closes, or SIGTERM or SIGINT comes. Says on stderr where it listens,
 * and one line for each host that connects. `JEXO_TOKEN` in the environment is what callers over HTTP must send.
 */
export async function serveKit(kit: Kit, options: ServeOptions = {}): Promise<void> {
  const environment = options.environment ?? process.env
  const limits = readLimits(environment)
  const { pageSize } = limits
  const running = runOnNode(kit, {
    environment,
    choose: choiceOf(options, environment),
    showsUpstream: options.showsUpstream === true,
    ...(options.observer ? { observer: options.observer } : {}),
    ...(pageSize === undefined ? {} : { pageSize }),
  })
  const stop = options.onRunning?.(running)
  try {
    await serve(running, options, environment, limits)
  } finally {
    stop?.()
  }
}

/** `--only` and `--except`; `JEXO_ONLY` narrows what they leave. */
function choiceOf({ only: chosen, except: left }: ServeOptions, environment: Environment) {
  const more = namesIn(environment.JEXO_ONLY ?? '')
  return (parts: readonly Part[]) => {
    const kept = chosen && chosen.length > 0 ? only(parts, chosen) : parts
    const rest = left && left.length > 0 ? except(kept, left) : kept
    return more.length > 0 ? only(rest, more) : rest
  }
}

async function serve(
  running: RunningKit,
  options: ServeOptions,
  environment: Environment,
  { http: httpLimits, drainMs, maxBytes, graceMs }: ServeLimits,
): Promise<void> {
  const { kit } = running
  const label = `${kit.name} ${kit.version}`
  if (!options.http) {
    return serveStdio(running, {
      onHost: sayWhoConnected,
      ...(maxBytes === undefined ? {} : { maxBytes }),
      ...(graceMs === undefined ? {} : { graceMs }),
    })
  }
  // A server on stdio starts without what only HTTP needs.
  const { serveHttp } = await import('../transport/node-http.js')
  const { host, port } = options.http
  const token = environment.JEXO_TOKEN
  const service = await serveHttp(running, {
    host,
    port,
    onHost: sayWhoConnected,
    limits: httpLimits,
    ...(drainMs === undefined ? {} : { drainMs }),
    isOpenToAnyone: options.isOpenToAnyone === true,
    ...(options.path === undefined ? {} : { path: options.path }),
    ...(options.publicUrl === undefined ? {} : { publicUrl: options.publicUrl }),
    ...(token ? { token } : {}),
  })
  process.stderr.write(
    `jexo: ${label} at ${options.publicUrl ?? service.url}${token ? ' (callers need JEXO_TOKEN)' : ''}\n`,
  )
  const signal = await untilSignal()
  process.stderr.write(`jexo: ${signal}: finishing what runs\n`)
  await service.close()
}

/** Says who came, and uses the time until the first call. */
function sayWhoConnected(engine: Engine): void {
  engine.running.warm()
  const { name = 'a host', version = '' } = engine.client ?? {}
  process.stderr.write(`jexo: ${`${name} ${version}`.trim()} connected, revision ${engine.revision.date}\n`)
}

/** Resolves with the signal that asks this process to end. */
export function untilSignal(): Promise<string> {
  return new Promise((resolve) => {
    for (const signal of ['SIGTERM', 'SIGINT'] as const) process.once(signal, () => resolve(signal))
  })
}
