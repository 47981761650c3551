import { isJexoError } from '../errors.js'
import { ResponseLost } from './wire.js'

/** Effect of a failure on a request. */
export interface Trouble {
  /** True if the server certainly did not execute it; otherwise unknown. */
  isUndone: boolean
  /** How often the request is sent again. */
  tries: number
}

/** A server that is temporarily unavailable gets more attempts than one that cannot be reached. */
const triesWithStatus = 6
const triesWithout = 3
const firstWaitMs = 250
const mostWaitMs = 4000

/** How long to wait before a request is sent again. */
export const waitBefore = (tries: number): number => Math.min(firstWaitMs * 2 ** tries, mostWaitMs)

/** Undefined for failures that a retry cannot fix. */
export function troubleIn(error: unknown): Trouble | undefined {
  const cause = isJexoError(error) ? error.cause : error
  if (cause instanceof ResponseLost) return { isUndone: false, tries: triesWithStatus }
  const { status, code: own, cause: inner } = (cause ?? {}) as { status?: unknown; code?: unknown; cause?: unknown }
  if (status === 503 || status === 502) return { isUndone: status === 503, tries: triesWithStatus }
  const code = own ?? (inner as { code?: unknown } | undefined)?.code
  if (code === 'ECONNREFUSED') return { isUndone: true, tries: triesWithout }
  const isLost = code === 'ECONNRESET' || code === 'EPIPE' || code === 'UND_ERR_SOCKET'
  return isLost ? { isUndone: false, tries: triesWithout } : undefined
}
