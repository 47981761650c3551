import type { Duplex } from 'node:stream'
import { SqlFailure } from './driver.js'

/** How a protocol frames its messages: the size of the header, and the length field in it. */
export interface Framing {
  readonly headerBytes: number
  lengthOf(header: Buffer): number
  /** True if the next frame continues this message. */
  isContinued?(length: number): boolean
}

/** PostgreSQL: a type, then a length that counts itself. */
export const postgresFraming: Framing = {
  headerBytes: 5,
  lengthOf: (header) => Math.max(0, header.readInt32BE(1) - 4),
}
/** MySQL: three bytes of length and a number; a frame of the maximum length is continued by the next. */
export const mysqlFraming: Framing = {
  headerBytes: 4,
  lengthOf: (header) => header.readUIntLE(0, 3),
  isContinued: (length) => length === 0xffffff,
}

/**
 * Ends a connection as soon as a message announces more than `maxBytes`, before the driver has collected it. Returns a
 * function that ends this. Attach it between two messages, since the first byte is taken for the start of a header.
 */
export function limitFrames(
  stream: Duplex,
  { headerBytes, lengthOf, isContinued }: Framing,
  maxBytes: number,
  onExceeded: (failure: SqlFailure) => void,
): () => void {
  const header = Buffer.alloc(headerBytes)
  let filled = 0
  let toSkip = 0
  let messageBytes = 0
  const watch = (chunk: Buffer) => {
    for (let at = 0; at < chunk.length; ) {
      if (toSkip > 0) {
        const skipped = Math.min(toSkip, chunk.length - at)
        toSkip -= skipped
        at += skipped
        continue
      }
      const taken = chunk.copy(header, filled, at, at + headerBytes - filled)
      filled += taken
      at += taken
      if (filled < headerBytes) return
      filled = 0
      toSkip = lengthOf(header)
      messageBytes += toSkip
      if (messageBytes > maxBytes) {
        stop()
        onExceeded(
          new SqlFailure('statement', `a row is larger than ${maxBytes} bytes; select fewer or shorter columns`),
        )
        stream.destroy()
        return
      }
      if (!isContinued?.(toSkip)) messageBytes = 0
    }
  }
  const stop = () => void stream.removeListener('data', watch)
  stream.prependListener('data', watch)
  return stop
}
