import { branded, brands } from './brand.js'
import { kitErrors } from './errors.js'
import type { Part } from './part.js'
import type { Settings, SettingValues } from './settings.js'

/** The argument of the opening function. Its methods stay usable afterwards, so that a source can announce changes at any time. */
export interface Opening<S extends Settings = Settings> {
  /**
   * Values of settings by name. Settings declared for it have the declared type; other settings of the kit may be
   * undefined.
   */
  settings: SettingValues<S>
  /** Notifies subscribed hosts that a resource has changed (Resources, "Subscriptions"). */
  resourceUpdated(uri: string): void
  /** Notifies hosts that the list of resources has changed. */
  resourcesChanged(): void
  /** Writes a line to the operator's log. */
  report(level: 'info' | 'warning' | 'error', text: string): void
  /** Replaces parts of the kit, such as when a source has reported its content. */
  exchange(before: readonly Part[], after: readonly Part[]): void
}
export interface SharedOptions<S extends Settings = Settings> {
  /** The settings that it reads; the kit declares them too. */
  settings?: S
  /** Opens at startup, and retries until it succeeds; a failure is a warning. */
  atStart?: boolean
  /**
   * Reopens it at an interval while the server runs, for example to rebuild an index. Running calls keep the previous one, which closes when they
   * finish. With a store in Redis, all processes of the server do it together.
   */
  refresh?: {
    /** The name under which processes coordinate; unique in the kit. */
    name: string
    everyMs: number
  }
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
  checkRefresh(options.refresh)
  return branded({ open, ...(close ? { close } : {}), ...options }, brands.shared) as unknown as Shared<Awaited<T>>
}

function checkRefresh(refresh: SharedOptions['refresh']): void {
  if (refresh === undefined) return
  if (typeof refresh.name !== 'string' || !/^[\w.-]{1,64}$/.test(refresh.name))
    throw kitErrors.partField('a shared connection', 'refresh.name', 'at most 64 letters, digits, dots and dashes')
  if (!(refresh.everyMs >= 1000 && refresh.everyMs <= 2 ** 31 - 1))
    throw kitErrors.partField('a shared connection', 'refresh.everyMs', 'milliseconds, from 1,000 to 24 days')
}

export type Replacement = readonly [Shared<unknown>, unknown]

/** Calls that use the connections that were open when they started. */
export interface Generation {
  users: number
  whenIdle: (() => void)[]
  older: Generation | undefined
}

/** Waits for the calls of a generation, and of earlier ones, to finish. */
async function idle(generation: Generation): Promise<void> {
  if (generation.older) await idle(generation.older)
  if (generation.users > 0) await new Promise<void>((resolve) => generation.whenIdle.push(resolve))
}

/** The shared connections of one running kit. */
export class SharedThings {
  readonly #opened = new Map<Shared<unknown>, Promise<unknown>>()
  readonly #replaced: ReadonlyMap<Shared<unknown>, unknown>
  readonly #opening: Opening
  readonly #wasOpened: ((declared: Shared<unknown>) => void) | undefined
  /** Calls that started since the last refresh. */
  #generation: Generation = { users: 0, whenIdle: [], older: undefined }

  constructor(
    opening: Opening,
    replaced: readonly Replacement[] = [],
    wasOpened?: (declared: Shared<unknown>) => void,
  ) {
    this.#wasOpened = wasOpened
    this.#opening = opening
    this.#replaced = new Map(replaced)
  }

  use<T>(declared: Shared<T>): Promise<T> {
    if (this.#replaced.has(declared)) return Promise.resolve(this.#replaced.get(declared) as T)
    const known = this.#opened.get(declared)
    if (known) return known as Promise<T>
    const opened = new Promise<T>((resolve) => resolve(declared.open(this.#opening)))
    this.#opened.set(declared, opened)
    opened.then(
      () => this.#wasOpened?.(declared),
      () => this.#opened.delete(declared),
    )
    return opened
  }

  /** Reopens a connection. Running calls keep the previous one, which closes when they finish. Rejects if opening fails. */
  async refresh(declared: Shared<unknown>): Promise<void> {
    const before = this.#opened.get(declared)
    if (!before) return
    const fresh = await declared.open(this.#opening)
    if (this.#opened.get(declared) !== before) return void declared.close?.(fresh)
    this.#opened.set(declared, Promise.resolve(fresh))
    const older = this.#generation
    const generation: Generation = { users: 0, whenIdle: [], older }
    this.#generation = generation
    await idle(older)
    generation.older = undefined
    await declared.close?.(await before)
  }

  /** Marks the start of a call that may use the connections; `leave` marks its end. */
  enter(): Generation {
    this.#generation.users++
    return this.#generation
  }
  leave(generation: Generation): void {
    if (--generation.users > 0) return
    for (const wake of generation.whenIdle.splice(0)) wake()
  }

  /** Closes the connections as soon as no call uses them. */
  async closeWhenIdle(): Promise<unknown[]> {
    await idle(this.#generation)
    return this.close()
  }

  /** Closes the connections in reverse order. Errors while closing are returned, not thrown. */
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
