import type { SignIn } from '../access/sign-in/sign-in.js'
import { RunningKit } from '../engine/running-kit.js'
import type { RunningOptions } from '../engine/running-options.js'
import { interpretingValidator } from '../kit/interpreting-validator.js'
import { isKit, type Kit } from '../kit/kit.js'
import type { ToolsOf } from '../kit/typing.js'
import { Link } from '../link/link.js'
import type { LinkOptions } from '../link/options.js'
import { connectEach, type Links } from './connect-all.js'
import { transportErrors } from './errors.js'
import type { HttpExchange } from './http-exchange.js'
import { HttpStatus, HttpWire } from './http-wire.js'
import { MemoryWire } from './memory.js'
import { TwoEndpointWire } from './two-endpoint-wire.js'

export interface ConnectOptions extends LinkOptions, Partial<RunningOptions> {
  /** Sent with every request over HTTP. */
  headers?: Readonly<Record<string, string>>
  /** Provides the tokens for a URL: `clientCredentials` and others of `jexo/access`. */
  signIn?: SignIn
  /** Called for each HTTP request when the head of its response has arrived. */
  onExchange?: ((exchange: HttpExchange) => void) | undefined
}

/**
 * Opens a link to a server: a URL (Streamable HTTP), or a kit in this process.
 * Rejects with a `JexoError` that says why there is no connection.
 *
 * @example
 * const link = await connect(kit, { replace: [[scales, fakeScales]] })
 * const { structuredContent } = await link.call('weigh_hive', { hive: 'ML-04' })
 */
export function connect<K extends Kit>(kit: K, options?: ConnectOptions): Promise<Link<ToolsOf<K>>>
export function connect(target: string | URL | Kit, options?: ConnectOptions): Promise<Link>
export async function connect(target: string | URL | Kit, options: ConnectOptions = {}): Promise<Link> {
  if (isKit(target)) {
    const showsUpstream = options.onUpstream !== undefined
    const defaults: RunningOptions = { environment: {}, validator: interpretingValidator, showsUpstream }
    return Link.open(new MemoryWire(new RunningKit(target, { ...defaults, ...options }), true), options)
  }
  const url = String(target)
  if (!/^https?:\/\//.test(url) || !URL.canParse(url)) throw transportErrors.targetUnknown(url)
  return openHttp(new URL(url), options)
}

/** Connects over HTTP; if the server does not accept `initialize` by POST, tries the older HTTP+SSE transport (Transports, "Backwards Compatibility"). */
async function openHttp(url: URL, options: ConnectOptions): Promise<Link> {
  const headers = {
    ...(options.headers ? { headers: options.headers } : {}),
    onExchange: options.onExchange,
    signIn: options.signIn,
  }
  try {
    return await Link.open(new HttpWire(url, headers), options)
  } catch (error) {
    const status = error instanceof Error && error.cause instanceof HttpStatus ? error.cause.status : 0
    if (status !== 400 && status !== 404 && status !== 405) throw error
    return Link.open(new TwoEndpointWire(url, headers), options).catch(() => {
      throw error
    })
  }
}

/**
 * Opens several links in parallel. Does not reject if one fails to open: `failed` has the reason.
 *
 * @example const { links, failed, close } = await connectAll({ bees: 'http://127.0.0.1:4870/mcp', local: kit })
 */
export function connectAll(
  entries: Readonly<Record<string, string | URL | Kit>>,
  options: ConnectOptions = {},
): Promise<Links> {
  return connectEach(entries, async (target) => connect(target, options))
}
