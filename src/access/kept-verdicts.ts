import type { Verdict } from './check.js'

type Accepted = Extract<Verdict, { identity: unknown }>
interface Kept {
  token: string
  verdict: Accepted
  /** The server that it was accepted for. */
  resource: string
  until: number
}

/** The end of a token as its key: hashing the whole of it for each request takes a microsecond. */
const keyOf = (token: string): string => token.slice(-12)

/** Recently accepted tokens: checking a signature for each request would cost more than most requests. */
export class KeptVerdicts {
  readonly #kept = new Map<string, Kept>()
  readonly #most: number
  readonly #keepMs: number

  constructor({ most = 2000, keepMs = 60_000 } = {}) {
    this.#most = most
    this.#keepMs = keepMs
  }

  find(token: string, resource: string): Accepted | undefined {
    const found = this.#kept.get(keyOf(token))
    if (found === undefined || found.token !== token) return undefined
    if (found.until > Date.now() && found.resource === resource) return found.verdict
    this.#kept.delete(keyOf(token))
    return undefined
  }

  /** Keeps a verdict for a while, but not beyond the end of the token. */
  keep(token: string, resource: string, verdict: Accepted): Accepted {
    const oldest = this.#kept.keys().next()
    if (this.#kept.size >= this.#most && !oldest.done) this.#kept.delete(oldest.value)
    const until = Math.min(Date.now() + this.#keepMs, verdict.expiresAtMs ?? Number.POSITIVE_INFINITY)
    this.#kept.set(keyOf(token), { token, verdict, resource, until })
    return verdict
  }
}
