/**
 * A map of few entries that come and go quickly, such as the requests in flight. A `Map` makes a new table each time its deleted entries have
 * filled the old one, and the old tables keep what was in them until the next full collection of garbage; this makes none.
 */
export class SmallMap<K, V> {
  readonly #keys: K[] = []
  readonly #values: V[] = []

  get size(): number {
    return this.#keys.length
  }

  get(key: K): V | undefined {
    return this.#values[this.#keys.indexOf(key)]
  }

  has(key: K): boolean {
    return this.#keys.includes(key)
  }

  set(key: K, value: V): void {
    const at = this.#keys.indexOf(key)
    if (at >= 0) {
      this.#values[at] = value
      return
    }
    this.#keys.push(key)
    this.#values.push(value)
  }

  delete(key: K): void {
    const at = this.#keys.indexOf(key)
    if (at < 0) return
    this.#keys.splice(at, 1)
    this.#values.splice(at, 1)
  }

  clear(): void {
    this.#keys.length = 0
    this.#values.length = 0
  }

  /** What is in it now, in the order in which it was added. */
  entries(): [K, V][] {
    return this.#keys.map((key, at) => [key, this.#values[at] as V])
  }
  values(): V[] {
    return [...this.#values]
  }
}
