import { type Layer, type LayerOptions, layer } from '../kit/layer.js'
import { Refusal } from '../kit/refusal.js'
import { type By, usualMethods, whoOf } from './by.js'
import { positive } from './check.js'

export interface LimitParallelOptions extends Pick<LayerOptions, 'only' | 'methods'> {
  /** Calls that run at once. */
  calls: number
  /** Maximum number of waiting calls; more calls are refused. Default: 100. */
  queue?: number
  /** What calls are counted by. Default: `everyone`. */
  by?: By
}

interface Room {
  running: number
  waiting: (() => void)[]
}

/**
 * Limits how many calls run at once. Others wait in order; a cancelled call leaves the queue. Throws a `JexoError` if a
 * number is not positive.
 *
 * @example limitParallel({ calls: 4, queue: 50 })
 */
export function limitParallel({ calls, queue = 100, by = 'everyone', only, methods }: LimitParallelOptions): Layer {
  positive('limitParallel', { calls, queue: queue + 1 })
  const rooms = new Map<string, Room>()
  return layer(
    'limitParallel',
    async (call, next, note) => {
      const key = whoOf(call, by)
      const room = rooms.get(key) ?? { running: 0, waiting: [] }
      rooms.set(key, room)
      if (room.running >= calls) {
        if (room.waiting.length >= queue) {
          note('refused', { waiting: room.waiting.length })
          throw new Refusal('Too many calls are waiting. Try again later.')
        }
        const startedAt = performance.now()
        await turnIn(room, call.signal)
        note('delayed', { ms: Math.round(performance.now() - startedAt) })
      } else room.running++
      try {
        return await next()
      } finally {
        const first = room.waiting.shift()
        // The slot is handed over directly, so that no other call can take it in between.
        if (first) first()
        else if (--room.running === 0) rooms.delete(key)
      }
    },
    { ...(only ? { only } : {}), methods: methods ?? usualMethods },
  )
}

function turnIn(room: Room, signal: AbortSignal): Promise<void> {
  return new Promise((resolve, reject) => {
    const turn = () => {
      signal.removeEventListener('abort', leave)
      resolve()
    }
    const leave = () => {
      room.waiting = room.waiting.filter((other) => other !== turn)
      reject(signal.reason)
    }
    if (signal.aborted) return reject(signal.reason)
    room.waiting.push(turn)
    signal.addEventListener('abort', leave, { once: true })
  })
}
