import { setTimeout as pause } from 'node:timers/promises'
import { isJexoError, messageOf } from '../../../errors.js'
import { Restarts } from '../../source/restarts.js'
import type { FeedOpening, FeedSink, OpenedSource } from '../source.js'

/** Minimum delay before a reconnect. */
const leastWaitMs = 500

/**
 * Keeps a connection open as long as a feed is open: the first attempt must succeed, later ones are repeated with a
 * growing delay. `connect` calls `connected` once messages can arrive, and resolves with, or rejects with, the reason
 * for the end of the connection.
 */
export function keepConnected(
  connect: (connected: () => void, signal: AbortSignal) => Promise<string>,
  sink: FeedSink,
  { signal }: FeedOpening,
  unreachable: (reason: string) => Error,
): Promise<OpenedSource> {
  const ending = new AbortController()
  const isOver = AbortSignal.any([signal, ending.signal])
  const restarts = new Restarts()
  return new Promise((resolve, reject) => {
    let hasStarted = false
    const connected = () => {
      if (hasStarted) return sink.found()
      hasStarted = true
      resolve({ close: () => ending.abort() })
    }
    const keep = async () => {
      while (!isOver.aborted) {
        const startedAt = Date.now()
        let reason: string
        try {
          reason = await connect(connected, isOver)
        } catch (error) {
          // A missing package here is not an error of the source.
          if (isJexoError(error) && error.code === 'package-missing') return reject(error)
          reason = messageOf(error)
        }
        if (isOver.aborted) return
        if (!hasStarted) return reject(unreachable(reason))
        sink.lost(reason)
        restarts.ended(startedAt)
        await pause(Math.max(leastWaitMs, restarts.waitMs), undefined, { signal: isOver, ref: false }).catch(
          () => {},
        )
      }
    }
    void keep()
  })
}
