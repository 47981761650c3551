import RateLimiterMemory from 'rate-limiter-flexible/lib/RateLimiterMemory.js'
import RateLimiterRes from 'rate-limiter-flexible/lib/RateLimiterRes.js'
import { type Layer, type LayerCall, type LayerOptions, layer } from '../kit/layer.js'
import { Refusal } from '../kit/refusal.js'
import { type By, inWords, usualMethods, whoOf } from './by.js'
import { positive } from './check.js'

export interface LimitRateOptions extends Pick<LayerOptions, 'only' | 'methods'> {
  /** Calls that are allowed in a window of time. */
  calls: number
  /** Length of the window, in milliseconds. Default: 60,000. */
  perMs?: number
  /** What calls are counted by. Default: `identity`. */
  by?: By
}

/**
 * Limits the rate of calls; processes with a shared store count together. A call over the limit is refused with the time to wait.
 * Windows begin with the first call. Throws a `JexoError` if a number is not positive.
 *
 * @example layers: [limitRate({ calls: 60, perMs: 60_000 })]
 */
export function limitRate({ calls, perMs = 60_000, by = 'identity', only, methods }: LimitRateOptions): Layer {
  positive('limitRate', { calls, perMs })
  const limiter = new RateLimiterMemory({ points: calls, duration: perMs / 1000 })
  /** How long until there is room again; undefined if there is. */
  const waitFor = async (call: LayerCall): Promise<number | undefined> => {
    const who = whoOf(call, by)
    const { counters } = call
    if (counters) {
      const name = `${counters.nameOf(limit)} ${calls} ${perMs} ${who}`
      const { isAllowed, resetsInMs } = await counters.take(name, calls, perMs)
      return isAllowed ? undefined : Math.max(1, resetsInMs)
    }
    try {
      await limiter.consume(who)
      return undefined
    } catch (error) {
      if (!(error instanceof RateLimiterRes)) throw error
      return Math.max(1, error.msBeforeNext)
    }
  }
  const limit = layer(
    'limitRate',
    async (call, next, note) => {
      const waitMs = await waitFor(call)
      if (waitMs !== undefined) {
        note('refused', { retryAfterMs: waitMs })
        throw new Refusal(
          `The rate limit of ${calls === 1 ? '1 call' : `${calls} calls`} in ${inWords(perMs)} is reached. Try again in ${inWords(waitMs)}.`,
        )
      }
      return next()
    },
    { ...(only ? { only } : {}), methods: methods ?? usualMethods },
  )
  return limit
}
