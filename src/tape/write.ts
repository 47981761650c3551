import { constants, createWriteStream, fstatSync, openSync, type WriteStream } from 'node:fs'
import { version } from '../version.js'
import { now, type TapeEvent, type TapeHeader } from './entry.js'
import { tapeErrors } from './errors.js'
import { maskForTape } from './mask.js'

/** Writes events to a file, line by line, as they happen. Appends to an existing file. */
export class TapeWriter {
  readonly file: string
  readonly #stream: WriteStream
  #mask: (event: TapeEvent) => TapeEvent
  readonly #secrets: Set<string>
  readonly #failed: (reason: string) => void
  #isBroken = false

  private constructor(
    file: string,
    stream: WriteStream,
    secrets: readonly string[],
    failed: (reason: string) => void,
  ) {
    this.file = file
    this.#stream = stream
    this.#secrets = new Set(secrets)
    this.#mask = maskForTape(secrets)
    this.#failed = failed
    stream.on('error', (error: NodeJS.ErrnoException) => this.#broke(error.code ?? error.message))
  }

  /**
   * Opens the file; rejects with a `JexoError` if it cannot be written. A later write error ends the recording, not the
   * session, and calls `failed`.
   */
  static open(
    file: string,
    secrets: readonly string[] = [],
    failed: (reason: string) => void = () => {},
  ): Promise<TapeWriter> {
    try {
      // Readable only by its owner, and not opened through a link.
      const { O_APPEND, O_CREAT, O_NOFOLLOW = 0, O_WRONLY } = constants
      const fd = openSync(file, O_APPEND | O_CREAT | O_WRONLY | O_NOFOLLOW, 0o600)
      const writer = new TapeWriter(file, createWriteStream(file, { fd }), secrets, failed)
      if (fstatSync(fd).size === 0) writer.#line(header())
      return Promise.resolve(writer)
    } catch (error) {
      const { code, message } = error as NodeJS.ErrnoException
      return Promise.reject(
        tapeErrors.tapeUnwritable(
          file,
          code === 'ELOOP' ? 'it is a link, which is not followed' : (code ?? message),
        ),
      )
    }
  }

  /** Masks these values too from now on. */
  addSecrets(secrets: readonly string[]): void {
    for (const secret of secrets) this.#secrets.add(secret)
    this.#mask = maskForTape([...this.#secrets])
  }

  add(target: string, event: TapeEvent, at = now()): void {
    this.#line({ at, target, ...this.#mask(event) })
  }

  /** Resolves when everything is in the file. */
  close(): Promise<void> {
    return new Promise((resolve) => {
      if (this.#isBroken) return resolve()
      this.#stream.once('error', () => resolve())
      this.#stream.end(() => resolve())
    })
  }

  #line(value: object): void {
    if (!this.#isBroken) this.#stream.write(`${JSON.stringify(value)}\n`)
  }

  #broke(reason: string): void {
    if (this.#isBroken) return
    this.#isBroken = true
    this.#failed(reason)
  }
}

const header = (): TapeHeader => ({
  version: 1,
  kind: 'tape',
  startedAt: new Date().toISOString(),
  writer: `jexo ${version}`,
})

/** Entries as the text of a tape. */
export function tapeText(
  entries: Iterable<TapeEvent & { at: number; target: string }>,
  secrets: readonly string[],
) {
  const mask = maskForTape(secrets)
  const lines = [JSON.stringify(header())]
  for (const { sequence: _, at, target, ...event } of entries as Iterable<
    TapeEvent & { at: number; target: string; sequence?: number }
  >) {
    lines.push(JSON.stringify({ at, target, ...mask(event as TapeEvent) }))
  }
  return `${lines.join('\n')}\n`
}
