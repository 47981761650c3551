import { RunningKit, type RunningOptions } from '../engine/running-kit.js'
import { problems } from '../errors.js'
import { interpretingValidator } from '../kit/interpreting-validator.js'
import { isKit, type Kit } from '../kit/kit.js'
import { Link, type LinkOptions } from '../link/link.js'
import { dialEach, type Links } from './dial-all.js'
import { HttpWire } from './http-wire.js'
import { MemoryWire } from './memory.js'

export interface DialOptions extends LinkOptions, Partial<RunningOptions> {
  /** Sent with every request over HTTP. */
  headers?: Readonly<Record<string, string>>
}

/**
 * Opens a link to a server: a URL (Streamable HTTP), or a kit in this process.
 * Rejects with a `JexoError` that says why there is no connection.
 *
 * @example
 * const link = await dial(kit, { replace: [[scales, fakeScales]] })
 * const { structuredContent } = await link.call('weigh_hive', { hive: 'ML-04' })
 */
export function dial(target: string | URL | Kit, options: DialOptions = {}): Promise<Link> {
  if (isKit(target)) {
    const defaults: RunningOptions = { environment: {}, validator: interpretingValidator }
    return Link.open(new MemoryWire(new RunningKit(target, { ...defaults, ...options }), true), options)
  }
  const url = String(target)
  if (!/^https?:\/\//.test(url) || !URL.canParse(url)) throw problems.targetUnknown(url)
  return Link.open(new HttpWire(new URL(url), options.headers ? { headers: options.headers } : {}), options)
}

/**
 * Opens several links side by side. Never rejects for one that does not open: `failed` says why.
 *
 * @example const { links, failed, close } = await dialAll({ bees: 'http://127.0.0.1:4870/mcp', local: kit })
 */
export function dialAll(
  entries: Readonly<Record<string, string | URL | Kit>>,
  options: DialOptions = {},
): Promise<Links> {
  return dialEach(entries, async (target) => dial(target, options))
}
