import type { ExchangeClient } from '../access/exchange.js'
import type { Identity } from '../kit/call.js'
import { namesIn } from '../kit/choose.js'
import { kitErrors } from '../kit/errors.js'
import type { Environment } from '../kit/settings.js'
import { shownUrl } from '../store/redis/shown-url.js'
import { readCollector } from '../telemetry/sdk.js'
import { type AccessChoice, readIdentity } from './access-choice.js'
import { type HttpAddress, readHttpAddress } from './address.js'
import { type LayerChoice, readDurationMs, readLimit } from './layer-choice.js'
import { type LogForm, type LogLevel, readLogChoice } from './log.js'
import type { SshTunnel } from './ssh-tunnel.js'
import { countOf, mostWorkers } from './workers/worker.js'

/** Command-line options of a server. Omitted options are read from the environment. */
export interface ServeFlags {
  /** `[host:]port`; true for HTTP at the default address. */
  http?: string | true
  path?: string
  publicUrl?: string
  allowedHost?: readonly string[]
  openToAnyone?: boolean
  requireHost?: boolean
  store?: string
  workers?: string
  issuer?: string
  audience?: string
  issuerClient?: string
  scopes?: string
  tokens?: string
  as?: string
  limit?: string
  timeLimit?: string
  audit?: string
  strictErrors?: boolean
  loadTimeout?: string
  log?: string
  logLevel?: string
  /** `[host:]port` for the metrics; true for the path `/metrics` of the endpoint's server. */
  metrics?: string | true
  otlp?: string
  sshTunnel?: string
  sshTunnelPort?: string
}

/** Resolved options of a server, from the command line and the environment. */
export interface RunOptions {
  /** Address of the HTTP server; stdio if it is omitted. */
  http?: HttpAddress
  path?: string
  publicUrl?: string
  allowedHosts: readonly string[]
  isOpenToAnyone: boolean
  /** Access check, in addition to `JEXO_TOKEN`. */
  access: AccessChoice
  /** URL of the Redis store for sessions. */
  store?: string
  /** Number of processes. */
  workers?: number
  /** For trying out: the identity of every caller. */
  identity?: Identity
  /** Refuses to start on an address that other machines can reach, unless a host name is allowed. */
  requireHost: boolean
  layers: LayerChoice
  /** An uncaught error ends the server. */
  endsOnStrayErrors: boolean
  log: { form: LogForm; level: LogLevel }
  metrics?: HttpAddress | true
  /** URL of the collector for traces and metrics. Default: the `OTEL_…` variables. */
  otlp?: string
  sshTunnel?: SshTunnel
}

const defaultPort = 4870

/**
 * Resolves options from flags, `JEXO_…` variables, and defaults, in this order. Throws a `JexoError` that names the
 * invalid one.
 */
export function readRunOptions(flags: ServeFlags, environment: Environment): RunOptions {
  const { http, path = environment.JEXO_PATH, publicUrl = environment.JEXO_PUBLIC_URL } = flags
  const metrics = flags.metrics ?? environment.JEXO_METRICS
  if (path !== undefined && path !== '' && !path.startsWith('/'))
    throw kitErrors.argumentUnreadable(
      `the path ${JSON.stringify(path)}`,
      'a path that begins with /, such as /mcp',
    )
  if (publicUrl !== undefined && publicUrl !== '' && !/^https?:$/.test(protocolOf(publicUrl)))
    throw kitErrors.argumentUnreadable(
      `the public URL ${JSON.stringify(publicUrl)}`,
      'a URL with a scheme, such as https://hives.example/mcp',
    )
  return {
    ...(http === undefined ? {} : { http: addressOf(http, environment) }),
    ...(path ? { path } : {}),
    ...(publicUrl ? { publicUrl } : {}),
    allowedHosts: [...(flags.allowedHost ?? []), ...namesIn(environment.JEXO_ALLOWED_HOSTS ?? '')],
    isOpenToAnyone: flags.openToAnyone === true || isYes(environment.JEXO_OPEN_TO_ANYONE),
    access: {
      issuer: flags.issuer ?? (environment.JEXO_ISSUER || undefined),
      audience: flags.audience ?? (environment.JEXO_AUDIENCE || undefined),
      client: clientOf(flags.issuerClient ?? environment.JEXO_ISSUER_CLIENT_ID, environment),
      scopes: namesIn(flags.scopes ?? environment.JEXO_SCOPES ?? ''),
      tokens: flags.tokens ?? (environment.JEXO_TOKENS || undefined),
    },
    ...storing(flags, environment),
    ...(flags.as === undefined ? {} : { identity: readIdentity(flags.as) }),
    layers: {
      limit: read(flags.limit ?? environment.JEXO_LIMIT, readLimit),
      timeLimitMs: read(flags.timeLimit ?? environment.JEXO_TIME_LIMIT, readDurationMs),
      audit: flags.audit ?? (environment.JEXO_AUDIT || undefined),
    },
    requireHost: flags.requireHost === true || isYes(environment.JEXO_REQUIRE_HOST),
    endsOnStrayErrors: flags.strictErrors === true || isYes(environment.JEXO_STRICT_ERRORS),
    log: readLogChoice(
      flags.log ?? (environment.JEXO_LOG || undefined),
      flags.logLevel ?? (environment.JEXO_LOG_LEVEL || undefined),
    ),
    ...(metrics ? { metrics: metrics === true || isYes(metrics) ? true : readHttpAddress(metrics) } : {}),
    ...(flags.otlp === undefined ? {} : { otlp: readCollector(flags.otlp) }),
    ...(flags.sshTunnel === undefined
      ? {}
      : { sshTunnel: { destination: flags.sshTunnel, remote: flags.sshTunnelPort } }),
  }
}

const read = <T>(text: string | undefined, reading: (text: string) => T): T | undefined =>
  text === undefined || text === '' ? undefined : reading(text)

/** The store and the number of processes. */
function storing(flags: ServeFlags, environment: Environment): Pick<RunOptions, 'store' | 'workers'> {
  const store = flags.store ?? environment.JEXO_STORE
  const workers = read(flags.workers ?? environment.JEXO_WORKERS, readCount)
  if (store) shownUrl(store)
  if ((flags.store || flags.workers) && flags.http === undefined)
    throw kitErrors.argumentUnreadable(`--${flags.store ? 'store' : 'workers'} without --http`, 'the option --http')
  return {
    ...(store ? { store } : {}),
    ...(workers === undefined || flags.http === undefined ? {} : { workers }),
  }
}

function readCount(text: string): number {
  const count = countOf(text)
  if (count === undefined)
    throw kitErrors.argumentUnreadable(
      `the number of processes ${JSON.stringify(text)}`,
      `1 to ${mostWorkers}, or auto`,
    )
  return count
}

/** This server's credentials at the issuer. Throws a `JexoError` if its secret is missing. */
function clientOf(id: string | undefined, environment: Environment): ExchangeClient | undefined {
  if (!id) return undefined
  const secret = environment.JEXO_ISSUER_CLIENT_SECRET
  if (!secret)
    throw kitErrors.argumentUnreadable('JEXO_ISSUER_CLIENT_SECRET', 'the secret of the client in --issuer-client')
  return { id, secret }
}

/** A missing host or port is taken from `JEXO_HOST` and `JEXO_PORT`. */
function addressOf(typed: string | true, environment: Environment): HttpAddress {
  const host = environment.JEXO_HOST || '127.0.0.1'
  if (typed === true) {
    const port = environment.JEXO_PORT || String(defaultPort)
    return readHttpAddress(`${host.includes(':') && !host.startsWith('[') ? `[${host}]` : host}:${port}`)
  }
  return typed.includes(':') ? readHttpAddress(typed) : { ...readHttpAddress(typed), host }
}

const isYes = (text: string | undefined) => text === '1' || text === 'true' || text === 'yes'
const protocolOf = (url: string) => (URL.canParse(url) ? new URL(url).protocol : '')
