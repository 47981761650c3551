import {
  circuitBreaker as breaker,
  type CircuitBreakerPolicy,
  ConsecutiveBreaker,
  handleWhen,
  isBrokenCircuitError,
} from 'cockatiel'
import { type Layer, type LayerOptions, layer } from '../kit/layer.js'
import { isRefusal, Refusal } from '../kit/refusal.js'
import { type By, inWords, usualMethods, whoOf } from './by.js'
import { positive } from './check.js'

export interface CircuitBreakerOptions extends Pick<LayerOptions, 'only' | 'methods'> {
  /** Consecutive failures that open the circuit. Default: 5. */
  failures?: number
  /** How long it stays open before one call is tried, in milliseconds. Default: 10,000. */
  openMs?: number
  /** What failures are counted by. Default: `part`. */
  by?: By
}

/**
 * Refuses calls to a part that keeps failing: after some consecutive failures, calls are refused at once for a while;
 * then one is tried. A `Refusal` does not count as a failure.
 *
 * @example circuitBreaker({ failures: 5, openMs: 30_000 })
 */
export function circuitBreaker({
  failures = 5,
  openMs = 10_000,
  by = 'part',
  only,
  methods,
}: CircuitBreakerOptions = {}): Layer {
  positive('circuitBreaker', { failures, openMs })
  const breakers = new Map<string, CircuitBreakerPolicy>()
  const openUntil = new Map<string, number>()
  const breakerFor = (key: string) => {
    const known = breakers.get(key)
    if (known) return known
    const made = breaker(
      handleWhen((error) => !isRefusal(error)),
      { halfOpenAfter: openMs, breaker: new ConsecutiveBreaker(failures) },
    )
    if (breakers.size >= mostBreakers) breakers.clear()
    made.onBreak(() => openUntil.set(key, Date.now() + openMs))
    made.onReset(() => openUntil.delete(key))
    breakers.set(key, made)
    return made
  }
  return layer(
    'circuitBreaker',
    async (call, next, note) => {
      const key = whoOf(call, by)
      try {
        return await breakerFor(key).execute(() => next())
      } catch (error) {
        if (!isBrokenCircuitError(error)) throw error
        const waitMs = Math.max(1, (openUntil.get(key) ?? 0) - Date.now())
        note('refused', { retryAfterMs: waitMs })
        throw new Refusal(`${call.part.name} failed several times and is paused. Try again in ${inWords(waitMs)}.`)
      }
    },
    { ...(only ? { only } : {}), methods: methods ?? usualMethods },
  )
}

const mostBreakers = 10_000
