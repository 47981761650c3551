import type { Telemetry } from './telemetry.js'

/**
 * The global symbol under which the OpenTelemetry API stores what an SDK registers, for every copy of the API in the
 * process.
 */
const registered = Symbol.for('opentelemetry.js.api.1')

/** True if an OpenTelemetry SDK was started in this process. */
export function isSdkStarted(): boolean {
  const { trace, metrics } =
    (globalThis as { [registered]?: { trace?: unknown; metrics?: unknown } })[registered] ?? {}
  return trace !== undefined || metrics !== undefined
}

/** Telemetry with the SDK that was started in this process; undefined if there is none, which costs nothing. */
export async function foundTelemetry(): Promise<Telemetry | undefined> {
  if (!isSdkStarted()) return undefined
  const { openTelemetry } = await import('./open-telemetry.js')
  return openTelemetry()
}
