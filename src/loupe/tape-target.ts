import { messageOf } from '../errors.js'
import type { TapeEntry, TapeEvent } from '../tape/entry.js'
import { type FollowedTape, followTape } from '../tape/follow.js'
import type { Journal } from './journal.js'

/** A tape in Loupe: its sessions become targets of the journal, with the times of the recording. */
export class TapeView {
  readonly id: string
  readonly label: string
  problem: string | undefined
  /** The error behind the problem. */
  failure: unknown
  #followed: FollowedTape | undefined
  readonly #journal: Journal
  readonly #changed: () => void

  constructor(id: string, label: string, journal: Journal, changed: () => void) {
    this.id = id
    this.label = label
    this.#journal = journal
    this.#changed = changed
  }

  take(entries: readonly TapeEntry[]): void {
    for (const { sequence: _, at, target, ...event } of entries) {
      // Different tapes may use the same session names.
      this.#journal.add(`${this.id}/${target}`, event as TapeEvent, at)
    }
  }

  /** Reads the file, and with `isLive` what is written to it from now on. Resolves when the existing entries are read. */
  async read(file: string, isLive: boolean): Promise<void> {
    const followed = followTape(
      file,
      (entries) => this.take(entries),
      (error) => {
        this.failure = error
        this.problem = messageOf(error)
        this.#changed()
      },
    )
    this.#followed = followed
    await followed.ready
    if (!isLive) await this.close()
  }

  async close(): Promise<void> {
    await this.#followed?.close()
    this.#followed = undefined
  }
}
