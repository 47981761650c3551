import { ExponentialBackoff, handleWhen, retry as retryPolicy } from 'cockatiel'
import { type Layer, type LayerOptions, layer } from '../kit/layer.js'
import { isRefusal } from '../kit/refusal.js'
import { RpcError } from '../protocol/rpc-error.js'
import { isRead, usualMethods } from './by.js'
import { positive } from './check.js'

export interface RetryOptions extends Pick<LayerOptions, 'only'> {
  /** Further attempts after the first. Default: 2. */
  times?: number
  /** Pause before the first retry, in milliseconds; doubled each time, with jitter. Default: 200. */
  pauseMs?: number
  /** Longest pause, in milliseconds. Default: 5,000. */
  maxPauseMs?: number
  /** Also retries calls that change something. Default: false. */
  writes?: boolean
}

/**
 * Repeats calls that failed for a reason other than a `Refusal`. By default only reads, since a change may have
 * happened although its call failed.
 *
 * @example retry({ times: 3, pauseMs: 100 })
 */
export function retry({
  times = 2,
  pauseMs = 200,
  maxPauseMs = 5000,
  writes = false,
  only,
}: RetryOptions = {}): Layer {
  positive('retry', { times, pauseMs, maxPauseMs })
  const isFailure = (error: Error) => !isRefusal(error) && !(error instanceof RpcError)
  const policy = retryPolicy(handleWhen(isFailure), {
    maxAttempts: times,
    backoff: new ExponentialBackoff({ initialDelay: pauseMs, maxDelay: maxPauseMs }),
  })
  return layer(
    'retry',
    async (call, next, note) => {
      if (!writes && !isRead(call)) return next()
      let tries = 0
      return policy.execute(() => {
        if (tries++ > 0) note('retried', { try: tries })
        return next()
      }, call.signal)
    },
    { ...(only ? { only } : {}), methods: usualMethods },
  )
}
