import { branded, brands } from './brand.js'
import type { Part } from './part.js'
import type { Settings, SettingValues } from './settings.js'

/** What the opening function receives. Its methods stay usable afterwards, so that a source can announce changes at any time. */
export interface Opening<S extends Settings = Settings> {
  /** Values of settings, by name: of those that are declared for it as they are, of others of the kit perhaps undefined. */
  settings: SettingValues<S>
  /** Notifies subscribed hosts that a resource has changed (Resources, "Subscriptions"). */
  resourceUpdated(uri: string): void
  /** Notifies hosts that the list of resources has changed. */
  resourcesChanged(): void
  /** Writes a line to the operator's log. */
  report(level: 'info' | 'warning' | 'error', text: string): void
  /** Puts other parts in the place of some of the kit's, such as when a source says at last what it has. */
  exchange(before: readonly Part[], after: readonly Part[]): void
}
export interface SharedOptions<S extends Settings = Settings> {
  /** The settings that it reads; the kit declares them too. */
  settings?: S
  /** Opens at startup, and retries until it succeeds; a failure is a warning. */
  atStart?: boolean
}
/** A connection or pool that is opened once per process and used by parts. */
export interface Shared<T> extends Readonly<SharedOptions> {
  open(opening: Opening): T | Promise<T>
  close?(thing: T): unknown
}

/**
 * Declares a shared connection: opened once per process, at the first `call.use(…)`, and closed at the end. If opening fails, that call
 * fails, and the next call tries again.
 *
 * @example const scales = shared(({ settings }) => openScales(settings.SCALES_URL), (scales) => scales.close())
 */
export function shared<T, const S extends Settings = Settings>(
  open: (opening: Opening<S>) => T | Promise<T>,
  close?: (thing: Awaited<T>) => unknown,
  options: SharedOptions<S> = {},
): Shared<Awaited<T>> {
  return branded({ open, ...(close ? { close } : {}), ...options }, brands.shared) as unknown as Shared<Awaited<T>>
}

export type Replacement = readonly [Shared<unknown>, unknown]

/** The shared things of one running kit. */
export class SharedThings {
  readonly #opened = new Map<Shared<unknown>, Promise<unknown>>()
  readonly #replaced: ReadonlyMap<Shared<unknown>, unknown>
  readonly #opening: Opening
  #users = 0
  #whenIdle: (() => void) | undefined

  constructor(opening: Opening, replaced: readonly Replacement[] = []) {
    this.#opening = opening
    this.#replaced = new Map(replaced)
  }

  use<T>(declared: Shared<T>): Promise<T> {
    if (this.#replaced.has(declared)) return Promise.resolve(this.#replaced.get(declared) as T)
    const known = this.#opened.get(declared)
    if (known) return known as Promise<T>
    const opened = new Promise<T>((resolve) => resolve(declared.open(this.#opening)))
    this.#opened.set(declared, opened)
    opened.catch(() => this.#opened.delete(declared))
    return opened
  }

  /** A call begins that may use these things; `leave` says that it is over. */
  enter(): void {
    this.#users++
  }
  leave(): void {
    this.#users--
    if (this.#users === 0) this.#whenIdle?.()
  }

  /** Closes what was opened as soon as no call uses it any more. */
  async closeWhenIdle(): Promise<unknown[]> {
    if (this.#users > 0) {
      await new Promise<void>((resolve) => {
        this.#whenIdle = resolve
      })
    }
    return this.close()
  }

  /** Closes what was opened, last first. What fails to close is returned, not thrown. */
  async close(): Promise<unknown[]> {
    const failures: unknown[] = []
    for (const [declared, opened] of [...this.#opened].reverse()) {
      try {
        await declared.close?.(await opened)
      } catch (error) {
        failures.push(error)
      }
    }
    this.#opened.clear()
    return failures
  }
}
