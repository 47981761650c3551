import { hasSubscribers } from 'node:diagnostics_channel'
import pLimit, { type LimitFunction } from 'p-limit'
import { isPrivateHost } from '../../access/private-address.js'
import { isJexoError } from '../../errors.js'
import type { Call, UpstreamNotes } from '../../kit/call.js'
import { content } from '../../kit/content.js'
import { type Outcome, outcome } from '../../kit/outcome.js'
import { isRefusal, Refusal } from '../../kit/refusal.js'
import type { Validate } from '../../kit/validation.js'
import { isSecretHeader, isSecretName } from '../../protocol/secrets.js'
import { version } from '../../version.js'
import { type Credential, Credentials } from './credentials.js'
import { httpApiErrors } from './errors.js'
import { failureOf } from './failure.js'
import { withFiles } from './files.js'
import type { RestLimits } from './limits.js'
import type { PlannedOperation, RestPlan } from './operation.js'
import { gathered } from './paging.js'
import { codeOf, hostOf, withLimit, withRedirects, withRetries, withTimeout } from './pipeline.js'
import { placeOf } from './place.js'
import { relocated } from './relocated.js'
import { requestOf, type UpstreamRequest } from './request.js'
import { outcomeOf } from './response.js'
import { type InProcess, inProcessSender, networkSender, type Send, type UpstreamResponse } from './sender.js'
import { Unsendable } from './serialize.js'

export interface ClientOptions {
  readonly limits: RestLimits
  /** Allowed hosts of redirects, in addition to the base URL's. */
  readonly allowedHosts: readonly string[]
  /** Origins that receive the credentials, in addition to the base URL's. */
  readonly credentialOrigins: readonly string[]
  /** Allows this machine and its network, even if the base URL is elsewhere. */
  readonly allowPrivateNetwork: boolean
  /** Folder of files that may be sent. */
  readonly files: string | undefined
  /** The API in this process. */
  readonly upstream: InProcess | undefined
  /** Sent with every request: fixed, or computed from the call. */
  readonly headers: HeadersGiven | undefined
  /** Unwraps the content of each response. Throws a `Refusal` if the response reports a failure. */
  readonly unpack?: Unpack | undefined
}
export type Unpack = (response: UpstreamResponse) => {
  readonly response: UpstreamResponse
  /** Shown after the content. */
  readonly notes: readonly string[]
}
export type HeadersGiven = Readonly<Record<string, string>> | ((call: Call) => Readonly<Record<string, string>>)

/** Executes the operations of one API; opened once per process, at the first call. */
export class RestClient {
  readonly #plan: RestPlan
  readonly #options: ClientOptions
  readonly #settings: Readonly<Record<string, string | undefined>>
  readonly #base: string
  /** The server in the description. */
  readonly #described: string | undefined
  readonly #credentials: Credentials
  readonly #limit: LimitFunction
  readonly #network: { send: Send; close(): Promise<void> }
  readonly #allowedHosts: ReadonlySet<string>

  /** Throws a `JexoError` if the base URL is missing or invalid. */
  constructor(plan: RestPlan, options: ClientOptions, settings: Readonly<Record<string, string | undefined>>) {
    this.#plan = plan
    this.#described = plan.base.described ?? plan.base.url
    this.#options = options
    this.#settings = settings
    const { limits, upstream } = options
    const base = upstream
      ? (plan.base.url ?? `http://in-process.localhost${plan.base.path ?? ''}`)
      : (settings[plan.base.setting] ?? plan.base.url ?? '')
    if (!/^https?:\/\//.test(base) || !URL.canParse(base)) throw httpApiErrors.upstreamUrl(plan.base.setting, base)
    this.#base = base
    const allowPrivateNetwork = options.allowPrivateNetwork || isPrivateHost(new URL(base).hostname)
    const network = networkSender({ maxBytes: limits.maxBytes, allowPrivateNetwork })
    this.#network = upstream ? { send: inProcessSender(upstream, limits.maxBytes), close: network.close } : network
    this.#limit = pLimit(limits.maxInFlight)
    this.#credentials = new Credentials(settings, withTimeout(network.send, limits.timeoutMs))
    const bases = [base, ...plan.operations.map((operation) => this.#baseOf(operation))]
    this.#allowedHosts = new Set([...bases.map((url) => new URL(url).host), ...options.allowedHosts])
  }

  close(): Promise<void> {
    return this.#network.close()
  }

  /** Executes an operation and returns the result of its tool. Throws a `Refusal` for errors of the API. */
  async carryOut(
    operation: PlannedOperation,
    given: Readonly<Record<string, unknown>>,
    call: Call,
    fits?: Validate,
  ): Promise<Outcome> {
    const came = await this.fetchResponse(operation, given, call)
    const { response, notes } = this.#options.unpack?.(came) ?? { response: came, notes: [] }
    const shown = outcomeOf(operation, response, this.#options.limits, fits)
    return notes.length === 0
      ? shown
      : outcome({ ...shown, blocks: [...shown.blocks, ...notes.map((text) => content.text(text))] })
  }

  /** The response to an operation, with its pages collected. */
  async fetchResponse(
    operation: PlannedOperation,
    given: Readonly<Record<string, unknown>>,
    call: Call,
  ): Promise<UpstreamResponse> {
    const { files, limits } = this.#options
    try {
      const read = await withFiles(operation.body, given, files, limits.maxBytes)
      const ask = (args: Readonly<Record<string, unknown>>, url?: string) => this.#ask(operation, args, url, call)
      const { paging } = operation
      const wanted = paging ? given[paging.argument] : undefined
      const response =
        paging && typeof wanted === 'number'
          ? await gathered({ ...operation, paging }, read, Math.min(wanted, limits.maxGathered), ask, (done) =>
              call.progress(done, wanted, `${done} items`),
            )
          : await ask(read)
      if (response.status >= 300) throw failureOf(operation, response, this.#credentialsOf(operation))
      return response
    } catch (error) {
      throw this.#meant(error, operation, call)
    }
  }

  async #ask(
    operation: PlannedOperation,
    given: Readonly<Record<string, unknown>>,
    url: string | undefined,
    call: Call,
  ): Promise<UpstreamResponse> {
    const credentials = this.#credentialsOf(operation)
    const send = this.#sendFor(call, credentials)
    const isTrusted = this.#isTrusted(operation)
    const holdsSecrets = operation.parameters.some(({ setting }) => setting !== undefined)
    if (!isTrusted && (holdsSecrets || operation.body?.properties?.some(({ setting }) => setting !== undefined)))
      throw new Refusal('The operator of this server does not allow sending credentials there.', {
        operatorNote: `${placeOf(operation)} is at ${operation.base}; add that origin to credentialOrigins to send credentials there`,
      })
    const made = requestOf(operation, this.#baseOf(operation), given, isTrusted ? this.#settings : {})
    const request = this.#withHeaders(url === undefined ? made : { ...made, url }, call, isTrusted)
    const response = await send(await this.#credentials.applied(request, credentials, call.identity), call.signal)
    // A token may have been revoked before it expired.
    if (response.status !== 401 || !this.#credentials.forget(credentials)) return response
    return send(await this.#credentials.applied(request, credentials, call.identity), call.signal)
  }

  #sendFor(call: Call, credentials: readonly Credential[]): Send {
    const { limits } = this.#options
    const { timeoutMs, retries, maxPauseMs } = limits
    const secrets = secretNames(credentials)
    const recorded: Send = (request, signal) =>
      call.upstream('http', `${request.method} ${shownUrl(request.url, secrets)}`, async (notes) => {
        note(notes, request, secrets)
        const response = await this.#network.send(withTrace(request, notes), signal)
        noteResponse(notes, response)
        return response
      })
    const onRetry = (reason: string, pauseMs: number) =>
      call.log.info(`${reason}; trying again in ${(pauseMs / 1000).toFixed(1)} s`)
    const limited = withLimit(withTimeout(recorded, timeoutMs), this.#limit)
    const retried = withRetries(limited, { retries, pauseMs: 300, maxPauseMs, onRetry })
    const isSecretName = (name: string) => secrets.has(name.toLowerCase()) || isSecretHeader(name)
    return withRedirects(retried, this.#allowedHosts, isSecretName)
  }

  /**
   * Credentials are sent only to the API's own origin and those that the author names; operations elsewhere are sent
   * without.
   */
  #isTrusted(operation: PlannedOperation): boolean {
    const { origin } = new URL(this.#baseOf(operation))
    return origin === new URL(this.#base).origin || this.#options.credentialOrigins.includes(origin)
  }

  #credentialsOf(operation: PlannedOperation): Credential[] {
    if (!this.#isTrusted(operation)) return []
    const { credentials } = operation
    return this.#plan.credentials
      .filter(({ name }) => credentials.includes(name))
      .map((credential) =>
        credential.kind === 'clientCredentials'
          ? { ...credential, tokenUrl: relocated(credential.tokenUrl, this.#described, this.#base) }
          : credential,
      )
  }

  /** The base URL of an operation: from the setting, or from the operation's own server in the description. */
  #baseOf({ base }: PlannedOperation): string {
    return base === undefined ? this.#base : relocated(base, this.#described, this.#base)
  }

  #withHeaders(request: UpstreamRequest, call: Call, isTrusted: boolean): UpstreamRequest {
    const { headers } = this.#options
    const all = Object.entries(typeof headers === 'function' ? headers(call) : (headers ?? {}))
    const own = isTrusted ? all : all.filter(([name]) => !isSecretHeader(name))
    const names = new Set(own.map(([name]) => name.toLowerCase()))
    const others = request.headers.filter(([name]) => !names.has(name.toLowerCase()))
    const agent = [...others, ...own].some(([name]) => name.toLowerCase() === 'user-agent')
    return {
      ...request,
      headers: [...others, ...own, ...(agent ? [] : [['user-agent', `jexo/${version}`] as const])],
    }
  }

  /** Connection errors as text for the model, with details for the operator. */
  #meant(error: unknown, operation: PlannedOperation, call: Call): unknown {
    if (error instanceof Unsendable)
      return new Refusal(`${error.argument ?? operation.name} ${error.message}; correct it and call again.`)
    if (isRefusal(error) || call.signal.aborted) return error
    if (isJexoError(error) && error.code === 'upstream-token')
      return new Refusal(
        'The API refused access. The operator of this server was notified; trying again will not help.',
        {
          operatorNote: error.message,
        },
      )
    const private_ = findJexoError(error)
    if (private_) return private_
    const code = codeOf(error)
    if (code === undefined) return error
    return new Refusal(`The API cannot be reached (${code}). The call itself is fine; try again later.`, {
      operatorNote: `${placeOf(operation)}: ${hostOf({ url: this.#baseOf(operation) })} cannot be reached (${code})`,
    })
  }
}

/** Extracts Jexo's own refusal, such as of a private address, from a network error. */
function findJexoError(error: unknown): Error | undefined {
  if (isJexoError(error)) return error
  const cause = (error as { cause?: unknown } | null)?.cause
  return cause === undefined ? undefined : findJexoError(cause)
}

/** Names of secret headers and query parameters. */
function secretNames(credentials: readonly Credential[]): ReadonlySet<string> {
  const keys = credentials.flatMap((credential) =>
    credential.kind === 'apiKey' ? credential.parameter.toLowerCase() : [],
  )
  return new Set(['authorization', 'proxy-authorization', 'cookie', ...keys])
}

/** A URL for display, with secrets masked. */
function shownUrl(url: string, secrets: ReadonlySet<string>): string {
  const [before = '', query] = url.replace(/\/\/[^/@]*@/, '//').split('?')
  if (query === undefined) return before
  const pairs = query.split('&').map((pair) => {
    const [name = ''] = pair.split('=')
    return secrets.has(decodedName(name).toLowerCase()) || isSecretName(name) ? `${name}=••••` : pair
  })
  return `${before}?${pairs.join('&')}`
}

/** Names in a query may contain anything, even a single `%`. */
function decodedName(name: string): string {
  try {
    return decodeURIComponent(name)
  } catch {
    return name
  }
}

const noSecrets: ReadonlySet<string> = new Set()
/** Headers whose names indicate secrets. */
const isSecret = (name: string, secrets: ReadonlySet<string>): boolean =>
  secrets.has(name.toLowerCase()) || isSecretHeader(name)

const excerptCharacters = 2000
const excerpt = (bytes: Uint8Array) => Buffer.from(bytes.subarray(0, excerptCharacters)).toString()

/** Propagates the trace, unless the description declares such a header, or an instrumentation of undici adds it. */
function withTrace(request: UpstreamRequest, { traceHeaders }: UpstreamNotes): UpstreamRequest {
  if (!traceHeaders || hasSubscribers('undici:request:create')) return request
  const names = new Set(request.headers.map(([name]) => name.toLowerCase()))
  const added = Object.entries(traceHeaders).filter(([name]) => !names.has(name.toLowerCase()))
  return added.length === 0 ? request : { ...request, headers: [...request.headers, ...added] }
}

function note(notes: UpstreamNotes, { headers, body }: UpstreamRequest, secrets: ReadonlySet<string>): void {
  const shown = headers.map(([name, value]) => [name, isSecret(name, secrets) ? '••••' : value] as const)
  notes.detail = {
    sent: { headers: Object.fromEntries(shown), ...(body ? { body: excerpt(body), bytes: body.length } : {}) },
  }
}

function noteResponse(notes: UpstreamNotes, { status, headers, body }: UpstreamResponse): void {
  notes.status = status
  notes.bytes = body.length
  const shown = Object.fromEntries(
    [...headers].map(([name, value]) => [name, isSecret(name, noSecrets) ? '••••' : value]),
  )
  notes.detail = { ...notes.detail, received: { headers: shown, body: excerpt(body) } }
}
