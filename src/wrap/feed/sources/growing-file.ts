import { type FileHandle, open, stat } from 'node:fs/promises'
import { setTimeout as pause } from 'node:timers/promises'
import { messageOf } from '../../../errors.js'
import { LineSplitter } from '../../../transport/line-splitter.js'
import { sourceFile } from '../../source/source.js'
import { feedErrors } from '../errors.js'
import type { PushingSource } from '../source.js'
import type { FeedAddress } from './address.js'
import { type MessageOptions, maxMessageBytes } from './limits.js'
import { messagePusher, topicMaker, unnamed } from './topic-of.js'
import { valueInText } from './value-in.js'

const lookEveryMs = 500
/** Bytes of existing content to read at the start. */
const maxTailBytes = 1_000_000

/**
 * Follows a file to which others append lines with a JSON value or text: its last megabyte, then new lines. A file that is replaced or truncated is read from the start.
 *
 * @example sharedFeed(growingFileSource(new URL('./readings.ndjson', import.meta.url), { topic: '{hive}' }), { name: 'scales', channels })
 */
export function growingFileSource(
  given: URL | string | FeedAddress,
  { topic }: MessageOptions = {},
): PushingSource {
  const isAddress = typeof given === 'object' && 'urlSetting' in given
  const topicOf = topicMaker(topic)
  return {
    async open(sink, { settings, signal }) {
      const named = isAddress ? settings[given.urlSetting] || given.url : given
      const path = sourceFile(named)
      const push = messagePusher(sink, topicOf)
      const take = (line: string) => {
        if (line.trim() !== '') push(valueInText(line), unnamed)
      }
      const tail = new Tail(path, take)
      try {
        await tail.look()
      } catch (error) {
        throw feedErrors.feedUnreachable(path, reasonOf(error))
      }
      const ending = new AbortController()
      const isOver = AbortSignal.any([signal, ending.signal])
      const follow = async () => {
        while (!isOver.aborted) {
          await pause(lookEveryMs, undefined, { signal: isOver, ref: false }).catch(() => {})
          if (isOver.aborted) break
          await tail.look().then(
            () => sink.found(),
            (error: unknown) => sink.lost(reasonOf(error)),
          )
        }
        await tail.close()
      }
      void follow()
      return { close: () => ending.abort() }
    },
  }
}

const reasonOf = (error: unknown): string => {
  const { code } = error as NodeJS.ErrnoException
  return code === 'ENOENT' ? 'the file does not exist' : (code ?? messageOf(error))
}

/** The position in a growing file. */
class Tail {
  readonly #path: string
  readonly #take: (line: string) => void
  /** Kept open, so that a new file cannot get the same inode number. */
  #handle: FileHandle | undefined
  #inode = 0
  #at = 0
  #lines: LineSplitter

  constructor(path: string, take: (line: string) => void) {
    this.#path = path
    this.#take = take
    this.#lines = this.#newLines()
  }

  /** Reads the appended bytes. Rejects if the file cannot be read. */
  async look(): Promise<void> {
    const found = await stat(this.#path)
    // Opening a pipe would block until it has a writer.
    if (!found.isFile()) throw new Error('it is not a file')
    if (this.#handle && found.ino === this.#inode && found.size === this.#at) return
    const handle = await open(this.#path)
    try {
      const { ino, size } = await handle.stat()
      const isOther = this.#handle === undefined || ino !== this.#inode || size < this.#at
      if (isOther) {
        const isFirst = this.#handle === undefined
        await this.close()
        this.#handle = handle
        this.#inode = ino
        this.#lines = this.#newLines()
        this.#at = isFirst ? await this.#tailStart(handle, size) : 0
      }
      await this.#readTo(handle, size)
    } finally {
      if (this.#handle !== handle) await handle.close()
    }
  }

  async close(): Promise<void> {
    const open = this.#handle
    this.#handle = undefined
    await open?.close()
  }

  #newLines(): LineSplitter {
    return new LineSplitter(maxMessageBytes, this.#take, () => {})
  }

  /** Offset of the first complete line in the last megabyte. */
  async #tailStart(handle: FileHandle, size: number): Promise<number> {
    if (size <= maxTailBytes) return 0
    const from = size - maxTailBytes
    const { buffer, bytesRead } = await handle.read(Buffer.alloc(maxTailBytes), 0, maxTailBytes, from - 1)
    const newline = buffer.subarray(0, bytesRead).indexOf(10)
    return newline < 0 ? size : from + newline
  }

  async #readTo(handle: FileHandle, size: number): Promise<void> {
    const chunk = Buffer.alloc(64 * 1024)
    while (this.#at < size) {
      const { bytesRead } = await handle.read(chunk, 0, Math.min(chunk.length, size - this.#at), this.#at)
      if (bytesRead === 0) return
      this.#at += bytesRead
      this.#lines.push(Buffer.from(chunk.subarray(0, bytesRead)))
    }
  }
}
