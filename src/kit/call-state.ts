/** The key of a value that a layer passes to later layers and to the function of a part, within one call. */
export interface StateKey<T> {
  readonly name: string
  /** For the compiler only: the type of the value. */
  readonly type?: T
}

/**
 * Makes a key for `call.state`. Keys are compared by identity, not by name.
 *
 * @example const tenant = stateKey<string>('tenant')
 */
export const stateKey = <T>(name: string): StateKey<T> => Object.freeze({ name })

/** Values of one call, by key. */
export interface CallState {
  get<T>(key: StateKey<T>): T | undefined
  set<T>(key: StateKey<T>, value: T): void
  has(key: StateKey<unknown>): boolean
}

export class StateMap implements CallState {
  readonly #values = new Map<StateKey<unknown>, unknown>()

  get<T>(key: StateKey<T>): T | undefined {
    return this.#values.get(key) as T | undefined
  }
  set<T>(key: StateKey<T>, value: T): void {
    this.#values.set(key, value)
  }
  has(key: StateKey<unknown>): boolean {
    return this.#values.has(key)
  }
}
