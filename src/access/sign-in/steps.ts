import { isJexoError, messageOf } from '../../errors.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import { hidden, isSecretName } from '../../protocol/secrets.js'
import { fetchBounded } from '../issuer-metadata.js'
import type { SignInSide } from './rules.js'

/** The steps of a sign-in, in order. */
export type SignInStage =
  | 'challenge'
  | 'metadata'
  | 'authorization server'
  | 'registration'
  | 'authorization'
  | 'token'
  | 'refresh'
  | 'retry'

/** A request to an authorization server or to a server's metadata, with masked values. */
export interface SignInExchange {
  method: string
  url: string
  sent?: JsonObject
  status?: number
  received?: JsonObject
}

/** A step of a sign-in and its outcome. Values that are secret are masked. */
export interface SignInStep {
  stage: SignInStage
  outcome: 'success' | 'failure'
  /** A description in one sentence. */
  detail: string
  /** In milliseconds since 1970. */
  startedAtMs: number
  durationMs: number
  exchanges: readonly SignInExchange[]
  /** The sentence of the standard that was violated. */
  rule?: string
  /** Who has to fix it. */
  fixedBy?: SignInSide
}

export type OnSignInStep = (step: SignInStep) => void
export type BoundedFetch = (url: string, init?: RequestInit) => Promise<Response>

/** Reports each step of a sign-in to the listener. */
export class SignInTrace {
  /** The error of the last reported failure. */
  #told: unknown

  constructor(private readonly onStep: OnSignInStep | undefined) {}

  /** Runs one step. The requests that it sends with `send` belong to it. */
  async step<T>(
    stage: SignInStage,
    work: (send: BoundedFetch, exchanges: SignInExchange[]) => Promise<T>,
    detailOf: (result: T) => string,
  ): Promise<T> {
    const { onStep } = this
    if (!onStep) return work(fetchBounded, [])
    const [startedAtMs, started] = [Date.now(), performance.now()]
    const exchanges: SignInExchange[] = []
    const at = () => ({
      stage,
      startedAtMs,
      durationMs: Math.round((performance.now() - started) * 10) / 10,
      exchanges,
    })
    try {
      const result = await work((url, init) => recorded(url, init, exchanges), exchanges)
      onStep({ ...at(), outcome: 'success', detail: detailOf(result) })
      return result
    } catch (error) {
      this.#told = error
      onStep({ ...at(), outcome: 'failure', ...reasonIn(error) })
      throw error
    }
  }

  note(stage: SignInStage, detail: string): void {
    this.onStep?.({ ...atOnce(stage), outcome: 'success', detail })
  }

  /** Reports a failure outside the steps. An error is not reported twice. */
  failed(stage: SignInStage, error: unknown): void {
    if (error === this.#told) return
    this.#told = error
    this.onStep?.({ ...atOnce(stage), outcome: 'failure', ...reasonIn(error) })
  }
}

const atOnce = (stage: SignInStage) => ({ stage, startedAtMs: Date.now(), durationMs: 0, exchanges: [] })

function reasonIn(error: unknown): Pick<SignInStep, 'detail' | 'rule' | 'fixedBy'> {
  if (!isJexoError(error)) return { detail: messageOf(error) }
  const { reason, rule, fixedBy } = error.data as { reason?: string; rule?: string; fixedBy?: SignInSide }
  return {
    detail: reason ?? error.problem,
    ...(rule === undefined ? {} : { rule }),
    ...(fixedBy === undefined ? {} : { fixedBy }),
  }
}

async function recorded(
  url: string,
  init: RequestInit | undefined,
  exchanges: SignInExchange[],
): Promise<Response> {
  const exchange: SignInExchange = { method: init?.method ?? 'GET', url: maskedUrl(url), ...sentIn(init) }
  exchanges.push(exchange)
  const response = await fetchBounded(url, init)
  exchange.status = response.status
  const received = objectIn(await response.clone().text())
  if (received) exchange.received = received
  return response
}

function sentIn(init: RequestInit | undefined): { sent?: JsonObject } {
  const { body } = init ?? {}
  if (body instanceof URLSearchParams) return { sent: masked(Object.fromEntries(body)) as JsonObject }
  const sent = typeof body === 'string' ? objectIn(body) : undefined
  return sent ? { sent } : {}
}

function objectIn(text: string): JsonObject | undefined {
  try {
    const value: unknown = JSON.parse(text)
    return isObject(value) ? (masked(value) as JsonObject) : undefined
  } catch {
    return undefined
  }
}

/** Names of fields whose values would let others sign in. */
const secretNames = new Set([
  'code',
  'state',
  'code_verifier',
  'device_code',
  'client_assertion',
  'assertion',
  'registration_access_token',
])
const publicNames =
  /^(token_type|token_endpoint|.*_(endpoint|supported|uri|type|method)|grant_type|token_endpoint_auth_.*)$/

const isSecret = (name: string) => secretNames.has(name) || (!publicNames.test(name) && isSecretName(name))

function masked(value: unknown, depth = 0): unknown {
  if (Array.isArray(value)) return value.slice(0, 100).map((item) => masked(item, depth + 1))
  if (!isObject(value)) return typeof value === 'string' ? value.slice(0, 2000) : value
  if (depth > 5) return {}
  return Object.fromEntries(
    Object.entries(value)
      .slice(0, 200)
      .map(([name, item]) => [name, isSecret(name) ? hidden : masked(item, depth + 1)]),
  )
}

/** A URL with its secret parameters masked. */
export function maskedUrl(text: string): string {
  if (!URL.canParse(text)) return text.slice(0, 2000)
  const url = new URL(text)
  for (const name of [...url.searchParams.keys()]) if (isSecret(name)) url.searchParams.set(name, hidden)
  return url.href.replaceAll(encodeURIComponent(hidden), hidden).slice(0, 4000)
}
