/**
 * Joins chunks of bytes in one buffer that doubles in size: even for small chunks, memory stays at about twice the
 * bytes.
 */
export class ByteGatherer {
  #bytes: Uint8Array = new Uint8Array()
  #length = 0
  /** The buffer is a chunk of the caller, and must not be modified. */
  #isBorrowed = true

  get length(): number {
    return this.#length
  }

  push(chunk: Uint8Array): void {
    if (this.#length === 0) {
      // Most bodies are one chunk, which is used without copying.
      this.#bytes = chunk
      this.#length = chunk.length
      return
    }
    const needed = this.#length + chunk.length
    if (needed > this.#bytes.length || this.#isBorrowed) {
      const grown = new Uint8Array(Math.max(needed, this.#bytes.length * 2, 4096))
      grown.set(this.#bytes.subarray(0, this.#length))
      this.#bytes = grown
      this.#isBorrowed = false
    }
    this.#bytes.set(chunk, this.#length)
    this.#length = needed
  }

  /** The bytes so far; valid until the next `push`. */
  get bytes(): Uint8Array {
    return this.#bytes.subarray(0, this.#length)
  }

  clear(): void {
    this.#bytes = new Uint8Array()
    this.#length = 0
    this.#isBorrowed = true
  }
}
