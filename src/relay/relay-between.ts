import { messageOf } from '../errors.js'
import type { Wire } from '../link/wire.js'
import { errorResponse, isRequest, isResponse, type Message, messagesIn } from '../protocol/messages.js'
import { findRevision } from '../protocol/revisions.js'
import { codes } from '../protocol/rpc-error.js'
import type { TapeEvent } from '../tape/entry.js'
import { LineSplitter } from '../transport/line-splitter.js'
import type { RelayStreams } from './relay-child.js'

const longestLineBytes = 512 * 1024 * 1024

/**
 * Connects a host that starts programs with a server at a URL: lines of the host are sent over HTTP, and messages of
 * the server are returned as lines, with every field unchanged. Resolves when the host has gone.
 */
export async function relayBetween(
  wire: Wire,
  streams: RelayStreams,
  add: (event: TapeEvent) => void,
): Promise<void> {
  let initializeId: unknown
  const underWay = new Set<Promise<unknown>>()
  const note = (message: Message, from: 'client' | 'server') =>
    add({ kind: 'message', from, message, bytes: Buffer.byteLength(JSON.stringify(message)) })
  const toHost = (message: Message) => {
    note(message, 'server')
    if (isResponse(message) && message.id === initializeId && 'result' in message) {
      const revision = findRevision(String(message.result.protocolVersion))
      if (revision) wire.opened?.(revision)
    }
    streams.write(Buffer.from(`${JSON.stringify(message)}\n`))
  }
  const toServer = async (message: Message) => {
    note(message, 'client')
    if (isRequest(message) && message.method === 'initialize') initializeId = message.id
    try {
      await wire.send(message)
    } catch (error) {
      const text = `the relay could not forward it: ${messageOf(error)}`
      if (isRequest(message)) toHost(errorResponse(message.id, { code: codes.internal, message: text }))
      else add({ kind: 'stderr', text })
    }
  }
  const lines = new LineSplitter(
    longestLineBytes,
    (line) => {
      const messages = messagesIn(line)
      if (!messages || messages.length === 0) {
        add({ kind: 'stray', from: 'client', text: line.slice(0, 10_000) })
        return toHost(
          errorResponse(undefined, { code: codes.parse, message: 'Parse error: a line is one message' }),
        )
      }
      for (const message of messages) {
        const sending = toServer(message).finally(() => underWay.delete(sending))
        underWay.add(sending)
      }
    },
    () => {},
  )
  add({ kind: 'state', state: 'open', text: wire.label, label: wire.label })
  const gone = 'the host has gone'
  let closedBy = gone
  await new Promise<void>((resolve, reject) => {
    // The server ended first; the host notices when this process ends.
    const ended = (why: string) => {
      closedBy = why
      resolve()
    }
    Promise.resolve(wire.start({ receive: toHost, closed: ended })).then(() => {
      streams.input.on('data', (chunk: Buffer) => lines.push(chunk))
      streams.input.once('end', () => {
        lines.end()
        // The last requests of the host are still answered.
        void Promise.all(underWay).then(() => resolve())
      })
    }, reject)
  })
  add({ kind: 'state', state: 'closed', text: closedBy, ...(closedBy === gone ? { isClean: true as const } : {}) })
  await wire.close()
}
