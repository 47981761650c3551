import { ByteGatherer } from './byte-gatherer.js'

const newline = 0x0a

/**
 * Splits a stream of bytes into lines; a chunk may end at any byte. A line over `maxBytes` is dropped as a whole, and
 * reported to `onTooLong` as soon as it exceeds the limit, since it may never end.
 */
export class LineSplitter {
  readonly #maxBytes: number
  readonly #onLine: (line: string) => void
  readonly #onTooLong: () => void
  readonly #decode: (bytes: Uint8Array, from: number, to: number) => string
  readonly #held = new ByteGatherer()
  #isSkipping = false

  constructor(
    maxBytes: number,
    onLine: (line: string) => void,
    onTooLong: () => void,
    decode?: (bytes: Uint8Array, from: number, to: number) => string,
  ) {
    this.#maxBytes = maxBytes
    this.#onLine = onLine
    this.#onTooLong = onTooLong
    const decoder = new TextDecoder()
    this.#decode = decode ?? ((bytes, from, to) => decoder.decode(bytes.subarray(from, to)))
  }

  push(chunk: Uint8Array): void {
    let from = 0
    for (let at = chunk.indexOf(newline); at >= 0; at = from < chunk.length ? chunk.indexOf(newline, from) : -1) {
      if (this.#held.length > 0 || this.#isSkipping) this.#endLine(this.#joined(chunk.subarray(from, at)))
      else this.#endLine(chunk, from, at)
      from = at + 1
    }
    if (from < chunk.length) this.#hold(chunk.subarray(from))
  }

  /** The input has ended: remaining text without a newline counts as a line. */
  end(): void {
    if (this.#held.length > 0 || this.#isSkipping) this.#endLine(this.#joined(new Uint8Array()))
  }

  #hold(rest: Uint8Array): void {
    if (this.#isSkipping) return
    if (this.#held.length + rest.length > this.#maxBytes) {
      this.#held.clear()
      this.#isSkipping = true
      this.#onTooLong()
    } else {
      this.#held.push(rest)
    }
  }

  #endLine(bytes: Uint8Array, from = 0, to = bytes.length): void {
    const isReported = this.#isSkipping
    this.#isSkipping = false
    if (isReported) return
    if (to - from > this.#maxBytes) return this.#onTooLong()
    const line = this.#decode(bytes, from, to)
    if (line.startsWith('{') && !line.endsWith('\r')) return this.#onLine(line)
    const trimmed = line.trim()
    if (trimmed !== '') this.#onLine(trimmed)
  }

  #joined(rest: Uint8Array): Uint8Array {
    if (this.#isSkipping) return rest
    this.#held.push(rest)
    const joined = this.#held.bytes
    this.#held.clear()
    return joined
  }
}
