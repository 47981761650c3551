import type { Verdict } from './check.js'

type Accepted = Extract<Verdict, { identity: unknown }>
interface Kept {
  verdict: Accepted
  /** For which server it was found good. */
  resource: string
  until: number
}

/** Tokens that were found good lately: checking a signature for each request would cost more than most requests. */
export class KeptVerdicts {
  readonly #kept = new Map<string, Kept>()
  readonly #most: number
  readonly #keepMs: number

  constructor({ most = 2000, keepMs = 60_000 } = {}) {
    this.#most = most
    this.#keepMs = keepMs
  }

  find(token: string, resource: string): Accepted | undefined {
    const found = this.#kept.get(token)
    if (found === undefined) return undefined
    if (found.until > Date.now() && found.resource === resource) return found.verdict
    this.#kept.delete(token)
    return undefined
  }

  /** Keeps it for a while, never beyond its end. */
  keep(token: string, resource: string, verdict: Accepted): Accepted {
    const oldest = this.#kept.keys().next()
    if (this.#kept.size >= this.#most && !oldest.done) this.#kept.delete(oldest.value)
    const until = Math.min(Date.now() + this.#keepMs, verdict.expiresAtMs ?? Number.POSITIVE_INFINITY)
    this.#kept.set(token, { verdict, resource, until })
    return verdict
  }
}
