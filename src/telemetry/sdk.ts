import { createRequire } from 'node:module'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import type { DiagLogger } from '@opentelemetry/api'
import { messageOf } from '../errors.js'
import { telemetryErrors } from './errors.js'
import { isSdkStarted } from './found.js'

export interface SdkOptions {
  /** URL of an OTLP collector over HTTP, such as `http://127.0.0.1:4318`. Default: the `OTEL_…` variables. */
  otlp?: string | undefined
  /** Name of the service; `OTEL_SERVICE_NAME` overrides it. */
  service: { name: string; version?: string }
  /** Called with export errors. */
  warn(text: string): void
}

/** Stops the SDK after it has sent the remaining data. */
export type StopSdk = () => Promise<void>

// Not a literal, so that bundlers do not include it.
const sdkName: string = '@opentelemetry/sdk-node'

/** Variables that enable telemetry. */
const asking = [
  ...['OTEL_EXPORTER_OTLP_ENDPOINT', 'OTEL_EXPORTER_OTLP_TRACES_ENDPOINT', 'OTEL_EXPORTER_OTLP_METRICS_ENDPOINT'],
  ...['OTEL_TRACES_EXPORTER', 'OTEL_METRICS_EXPORTER'],
]

/** How long an ending process waits for its collector. */
const flushMs = 2000
/** Interval of warnings about an unreachable collector. */
const quietMs = 60_000

/** Parses the URL of a collector. Throws a `JexoError` if it is not valid. */
export function readCollector(text: string): string {
  if (/^https?:$/.test(URL.canParse(text) ? new URL(text).protocol : '')) return text
  throw telemetryErrors.collectorUnreadable(text)
}

/**
 * Starts the OpenTelemetry SDK for Node if `otlp` or the standard variables ask for it, unless one is running. Returns
 * a function that stops it; undefined if nothing was started. Rejects with a `JexoError` if the SDK is not installed;
 * if only a variable asks for it, a missing SDK is a warning.
 */
export async function startSdk({ otlp, service, warn }: SdkOptions): Promise<StopSdk | undefined> {
  const { env } = process
  if (env.OTEL_SDK_DISABLED === 'true' || isSdkStarted()) return undefined
  if (otlp === undefined && !asking.some((name) => (env[name] ?? '') !== '' && env[name] !== 'none'))
    return undefined
  const sdk = await loadSdk()
  if (!sdk) {
    const missing = telemetryErrors.sdkMissing(sdkName)
    if (otlp !== undefined) throw missing
    warn(missing.message)
    return undefined
  }
  // The SDK, and child processes, read only variables.
  if (otlp !== undefined) env.OTEL_EXPORTER_OTLP_ENDPOINT = otlp
  env.OTEL_LOGS_EXPORTER ||= 'none'
  // Command lines may contain URLs with passwords, so the process is not described.
  env.OTEL_NODE_RESOURCE_DETECTORS ||= 'env,host'
  const { diag, DiagLogLevel } = await import('@opentelemetry/api')
  const tell = limitedWarnings(warn)
  diag.setLogger(quietLogger(tell), { logLevel: DiagLogLevel.WARN, suppressOverrideMessage: true })
  const started = startedAs(service, () => {
    const made = new sdk.NodeSDK({})
    made.start()
    return made
  })
  return async () => {
    let timer: NodeJS.Timeout | undefined
    const late = new Promise<void>((resolve) => {
      timer = setTimeout(resolve, flushMs)
    })
    await Promise.race([started.shutdown().catch((error: unknown) => tell(messageOf(error))), late])
    clearTimeout(timer)
  }
}

interface Sdk {
  NodeSDK: new (options: object) => { start(): void; shutdown(): Promise<void> }
}

/**
 * Starts something that reads the standard variables, with the service in them; child processes that are started later
 * do not see these values.
 */
function startedAs<T>({ name, version }: SdkOptions['service'], start: () => T): T {
  const { env } = process
  const { OTEL_SERVICE_NAME: named, OTEL_RESOURCE_ATTRIBUTES: attributes } = env
  if (!named && !/(^|,)\s*service\.name=/.test(attributes ?? '')) env.OTEL_SERVICE_NAME = name
  // Attributes that are already set come last, and take precedence.
  const own = version === undefined ? '' : `service.version=${encodeURIComponent(version)}`
  env.OTEL_RESOURCE_ATTRIBUTES = [own, attributes].filter(Boolean).join(',')
  try {
    return start()
  } finally {
    restore('OTEL_SERVICE_NAME', named)
    restore('OTEL_RESOURCE_ATTRIBUTES', attributes)
  }
}

function restore(name: string, value: string | undefined): void {
  if (value === undefined) delete process.env[name]
  else process.env[name] = value
}

/** The SDK that is installed with this library or file, or in the working folder. */
async function loadSdk(): Promise<Sdk | undefined> {
  try {
    return (await import(sdkName)) as Sdk
  } catch (error) {
    if ((error as { code?: unknown }).code !== 'ERR_MODULE_NOT_FOUND') throw error
  }
  try {
    const found = createRequire(join(process.cwd(), 'package.json')).resolve(sdkName)
    return (await import(pathToFileURL(found).href)) as Sdk
  } catch {
    return undefined
  }
}

/** Limits warnings: an unreachable collector would otherwise cause one every few seconds, and one more at the end. */
function limitedWarnings(warn: (text: string) => void): (text: string) => void {
  let quietUntil = 0
  return (text) => {
    if (Date.now() < quietUntil) return
    quietUntil = Date.now() + quietMs
    warn(`telemetry: ${reasonIn(text)}`)
  }
}

function quietLogger(tell: (text: string) => void): DiagLogger {
  const hush = () => {}
  return { error: tell, warn: tell, info: hush, debug: hush, verbose: hush }
}

/** The SDK reports errors as JSON with their stacks. */
function reasonIn(text: string): string {
  try {
    const { message, code } = JSON.parse(text) as { message?: string; code?: string }
    return [message || 'nothing could be sent', code].filter(Boolean).join(' ')
  } catch {
    return text.split('\n')[0]?.slice(0, 300) ?? ''
  }
}
