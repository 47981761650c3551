/** A small pseudorandom generator (mulberry32): the same seed gives the same data. */
export function seeded(seed: number): () => number {
  let state = seed >>> 0
  return () => {
    state = (state + 0x6d2b79f5) >>> 0
    let mixed = Math.imul(state ^ (state >>> 15), state | 1)
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61)
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296
  }
}

/** An integer from `low` to `high`, both included. */
export const between = (random: () => number, low: number, high: number): number =>
  low + Math.floor(random() * (high - low + 1))

/** One of several values. */
export const pick = <T>(random: () => number, values: readonly T[]): T =>
  values[between(random, 0, values.length - 1)] as T
