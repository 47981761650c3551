import { onNode } from '../access/on-node.js'

/**
 * Appends lines to a file that only its owner can read, and starts a new file when it is full: `calls.jsonl` becomes
 * `calls.jsonl.1`, and so on.
 */
export class AuditFile {
  readonly #path: string
  readonly #maxBytes: number
  readonly #keep: number
  #queue: Promise<void> = Promise.resolve()

  constructor(path: string, { maxBytes, keep }: { maxBytes: number; keep: number }) {
    this.#path = path
    this.#maxBytes = maxBytes
    this.#keep = keep
  }

  /** Rejects if the line cannot be written. With `isDurable`, resolves when it is on disk. */
  write(line: string, isDurable: boolean): Promise<void> {
    const turn = this.#queue.then(() => this.#append(line, isDurable))
    this.#queue = turn.catch(() => {})
    return turn
  }

  /** Opens the file for each line, so that log rotation loses no lines. */
  async #append(line: string, isDurable: boolean): Promise<void> {
    const { mkdir, open, stat } = await onNode<typeof import('node:fs/promises')>('node:fs/promises')
    const { dirname } = await onNode<typeof import('node:path')>('node:path')
    const { size = 0 } = await stat(this.#path).catch(() => ({ size: 0 }))
    if (size > 0 && size + new TextEncoder().encode(line).length > this.#maxBytes) await this.#rotate()
    if (size === 0) await mkdir(dirname(this.#path), { recursive: true })
    const handle = await open(this.#path, 'a', 0o600)
    try {
      await handle.appendFile(line)
      if (isDurable) await handle.datasync()
    } finally {
      await handle.close()
    }
  }

  async #rotate(): Promise<void> {
    const { rename, rm } = await onNode<typeof import('node:fs/promises')>('node:fs/promises')
    const named = (at: number) => (at === 0 ? this.#path : `${this.#path}.${at}`)
    await rm(named(this.#keep), { force: true })
    for (let at = this.#keep - 1; at >= 0; at--)
      await rename(named(at), named(at + 1)).catch((error: NodeJS.ErrnoException) => {
        if (error.code !== 'ENOENT') throw error
      })
  }
}
