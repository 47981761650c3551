import { kitErrors } from '../kit/errors.js'
import type { Layer } from '../kit/layer.js'

/** Layers around all parts, from a command line or the environment. */
export interface LayerChoice {
  limit: { calls: number; perMs: number } | undefined
  timeLimitMs: number | undefined
  /** A file, or `stderr`. */
  audit: string | undefined
}

/** The chosen layers, outermost first. Loads only these. */
export async function layersOf({ limit, timeLimitMs, audit: to }: LayerChoice): Promise<Layer[]> {
  const layers: Layer[] = []
  if (to !== undefined) {
    const { audit } = await import('../layers/audit.js')
    layers.push(audit({ to }))
  }
  if (limit) {
    const { limitRate } = await import('../layers/limit-rate.js')
    layers.push(limitRate(limit))
  }
  if (timeLimitMs !== undefined) {
    const { timeLimit } = await import('../layers/time-limit.js')
    layers.push(timeLimit({ ms: timeLimitMs }))
  }
  return layers
}

const unitsMs: Readonly<Record<string, number>> = { s: 1000, sec: 1000, min: 60_000, h: 3_600_000, hour: 3_600_000 }

/** Reads `60/min`. Throws a `JexoError` if it is not of that form. */
export function readLimit(text: string): { calls: number; perMs: number } {
  const [, calls = '', unit = ''] = /^(\d{1,9})\/(s|sec|min|h|hour)$/.exec(text.trim()) ?? []
  const perMs = unitsMs[unit]
  if (perMs === undefined || Number(calls) < 1)
    throw kitErrors.argumentUnreadable(
      `the limit ${JSON.stringify(text)}`,
      'a number of calls per time, such as 60/min, 5/s or 1000/h',
    )
  return { calls: Number(calls), perMs }
}

/** Reads `5s`, `500ms`, `2min`. Throws a `JexoError` if it is not of that form. */
export function readDurationMs(text: string): number {
  const [, amount = '', unit = ''] = /^(\d{1,9})(ms|s|sec|min)$/.exec(text.trim()) ?? []
  const ms = Number(amount) * (unit === 'ms' ? 1 : (unitsMs[unit] ?? 0))
  if (!(ms > 0))
    throw kitErrors.argumentUnreadable(
      `the time limit ${JSON.stringify(text)}`,
      'a time, such as 5s, 500ms or 2min',
    )
  return ms
}
