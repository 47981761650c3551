import { LRUCache } from 'lru-cache'
import { type Layer, type LayerCall, type LayerOptions, layer } from '../kit/layer.js'
import { keyOf } from '../kit/part.js'
import { isRead } from './by.js'
import { positive } from './check.js'

export interface CacheOptions extends Pick<LayerOptions, 'only'> {
  /** How long a result is reused, in milliseconds. Default: 60,000. */
  keepMs?: number
  /** Maximum number of stored results. Default: 1,000. */
  most?: number
  /** Shares results between callers, for results that are the same for all of them. Default: false. */
  isShared?: boolean
}

interface Kept {
  value: unknown
  uri: string | undefined
}

/**
 * Returns stored results of read-only calls with the same input and, by default, the same caller. A change of a resource (`call.resourceUpdated`) drops its stored contents and the results of all tools. A call that changes something drops everything.
 *
 * @example cache({ keepMs: 30_000, only: ['find_*'] })
 */
export function cache({ keepMs = 60_000, most = 1000, isShared = false, only }: CacheOptions = {}): Layer {
  positive('cache', { keepMs, most })
  const kept = new LRUCache<string, Kept>({
    max: most,
    ttl: keepMs,
    ttlResolution: 0,
    perf: { now: () => performance.now() },
  })
  // Results that were read before a change are not stored after it.
  let changes = 0
  const drop = (uri?: string) => {
    changes++
    for (const [key, found] of kept.entries())
      if (uri === undefined || found.uri === undefined || found.uri === uri) kept.delete(key)
  }
  return layer(
    'cache',
    async (call, next, note) => {
      if (!isRead(call)) {
        try {
          return await next()
        } finally {
          drop()
        }
      }
      const key = keyFor(call, isShared)
      if (key === undefined) return next()
      const found = kept.get(key)
      if (found) {
        note('answered', { ageMs: keepMs - Math.round(kept.getRemainingTTL(key)) })
        return found.value
      }
      const before = changes
      const value = await next()
      if (before === changes && value !== undefined) kept.set(key, { value, uri: call.uri })
      return value
    },
    {
      ...(only ? { only } : {}),
      methods: ['tools/call', 'resources/read'],
      onResourceUpdated: drop,
    },
  )
}

/** The same key for the same caller, part and input; undefined if the input has no JSON. */
function keyFor(call: LayerCall, isShared: boolean): string | undefined {
  const { identity, part, input, uri, session } = call
  const who = isShared
    ? []
    : identity
      ? [identity.issuer, identity.subject, identity.clientId, identity.scopes]
      : [session.id]
  try {
    return JSON.stringify([who, part.kind, keyOf(part), uri, sorted(input)])
  } catch {
    return undefined
  }
}

/** Objects with sorted keys, since clients may order them differently. */
function sorted(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(sorted)
  if (typeof value !== 'object' || value === null || 'toJSON' in value) return value
  return Object.entries(value)
    .sort(([one], [other]) => (one < other ? -1 : 1))
    .map(([key, item]) => [key, sorted(item)])
}
