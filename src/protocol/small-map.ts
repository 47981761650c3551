/**
 * A map for few, short-lived entries, such as the requests in flight. A `Map` allocates a new table when deleted entries have filled the old one, and the old tables retain their entries until the next full garbage collection. This map does not.
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

  /** The current entries in insertion order. */
  entries(): [K, V][] {
    return this.#keys.map((key, at) => [key, this.#values[at] as V])
  }
  values(): V[] {
    return [...this.#values]
  }
}
