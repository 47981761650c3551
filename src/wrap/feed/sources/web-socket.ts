import type { WebSocket } from 'ws'
import { feedErrors } from '../errors.js'
import type { PushingSource } from '../source.js'
import { type FeedAddress, plainAddress, shownUrl, valuesAt } from './address.js'
import { keepConnected } from './keep-connected.js'
import { type MessageOptions, maxMessageBytes } from './limits.js'
import { messagePusher, topicMaker, unnamed } from './topic-of.js'
import { valueIn } from './value-in.js'

const handshakeMs = 10_000
/** Interval of pings, without which a lost connection would go unnoticed. */
const pingEveryMs = 30_000

/**
 * Reads JSON or text messages from a WebSocket. In addresses of `wrapFeed`, write `wss+json://host/path`: `ws://` and `wss://` are MQTT there.
 *
 * @example sharedFeed(webSocketSource('wss://hives.example/live', { topic: '{type}/{hive}' }), { name: 'scales', channels })
 */
export function webSocketSource(given: string | FeedAddress, { topic }: MessageOptions = {}): PushingSource {
  const address = typeof given === 'string' ? plainAddress(given) : given
  const topicOf = topicMaker(topic)
  return {
    open(sink, opening) {
      const push = messagePusher(sink, topicOf)
      const { url, password } = valuesAt(address, opening.settings)
      const connect = async (connected: () => void, signal: AbortSignal) => {
        const ws = await import('ws')
        return new Promise<string>((resolve, reject) => {
          const socket = new ws.WebSocket(url.replace('+json:', ':'), {
            maxPayload: maxMessageBytes,
            handshakeTimeout: handshakeMs,
            ...(password === undefined ? {} : { headers: { authorization: `Bearer ${password}` } }),
          })
          const pings = keepAlive(socket)
          const onAbort = () => socket.terminate()
          if (signal.aborted) onAbort()
          else signal.addEventListener('abort', onAbort)
          socket.on('open', connected)
          socket.on('message', (data: Buffer) => push(valueIn(data), unnamed))
          socket.on('error', (error: Error & { code?: string }) => reject(new Error(error.message || error.code)))
          socket.on('close', (code, reason) => {
            clearInterval(pings)
            signal.removeEventListener('abort', onAbort)
            resolve(
              `the server closed the connection (${[code, reason.toString().slice(0, 200)].join(' ').trim()})`,
            )
          })
        })
      }
      return keepConnected(connect, sink, opening, (reason) => feedErrors.feedUnreachable(shownUrl(url), reason))
    },
  }
}

function keepAlive(socket: WebSocket): NodeJS.Timeout {
  let isAlive = true
  socket.on('pong', () => {
    isAlive = true
  })
  const timer = setInterval(() => {
    if (!isAlive) return socket.terminate()
    isAlive = false
    if (socket.readyState === socket.OPEN) socket.ping()
  }, pingEveryMs)
  timer.unref()
  return timer
}
