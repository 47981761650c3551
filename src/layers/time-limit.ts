import { type Layer, type LayerOptions, layer } from '../kit/layer.js'
import { Refusal } from '../kit/refusal.js'
import { inWords } from './by.js'
import { positive } from './check.js'

export interface TimeLimitOptions extends Pick<LayerOptions, 'only' | 'methods'> {
  /** How long a call may take, in milliseconds. */
  ms: number
}

/**
 * Ends calls that take too long: `call.signal` is aborted, and the caller receives an error. A function that ignores the signal continues, and its result is dropped.
 *
 * @example timeLimit({ ms: 5_000 })
 */
export function timeLimit({ ms, only, methods }: TimeLimitOptions): Layer {
  positive('timeLimit', { ms })
  return layer(
    'timeLimit',
    async (call, next, note) => {
      const ends = new AbortController()
      call.abortWith(ends.signal)
      let timer: ReturnType<typeof setTimeout> | undefined
      const late = new Promise<never>((_, reject) => {
        timer = setTimeout(() => {
          const refusal = new Refusal(`The call took longer than ${inWords(ms)} and was ended.`)
          note('refused', { ms })
          reject(refusal)
          ends.abort(refusal)
        }, ms)
      })
      try {
        return await Promise.race([next(), late])
      } finally {
        clearTimeout(timer)
      }
    },
    { ...(only ? { only } : {}), ...(methods ? { methods } : {}) },
  )
}
