import type { Verdict } from './check.js'

type Accepted = Extract<Verdict, { identity: unknown }>

/** Tokens that were found good lately: checking a signature for each request would cost more than most requests. */
export class KeptVerdicts {
  readonly #kept = new Map<string, Accepted & { until: number }>()
  readonly #most: number
  readonly #keepMs: number

  constructor({ most = 2000, keepMs = 60_000 } = {}) {
    this.#most = most
    this.#keepMs = keepMs
  }

  find(key: string): Accepted | undefined {
    const found = this.#kept.get(key)
    if (found === undefined) return undefined
    if (found.until > Date.now()) return found
    this.#kept.delete(key)
    return undefined
  }

  /** Keeps it for a while, never beyond its end. */
  keep(key: string, verdict: Accepted): Accepted {
    const oldest = this.#kept.keys().next()
    if (this.#kept.size >= this.#most && !oldest.done) this.#kept.delete(oldest.value)
    const until = Math.min(Date.now() + this.#keepMs, verdict.expiresAtMs ?? Number.POSITIVE_INFINITY)
    this.#kept.set(key, { ...verdict, until })
    return verdict
  }
}
