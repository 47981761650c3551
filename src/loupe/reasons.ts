import { isJexoError } from '../errors.js'
import { RpcError } from '../protocol/rpc-error.js'
import type { Asked } from './view.js'

/** What the page is told of a request that failed. */
export function faultOf(error: unknown): Asked {
  if (error instanceof RpcError) return { error: { ...error.toFault() } }
  if (isJexoError(error) && error.code === 'closed') {
    const { what } = reasonOf(error)
    return { error: { code: 'no-answer', message: `${what}. Fix it, and press Connect.` } }
  }
  return { error: { code: 'failed', message: error instanceof Error ? error.message : String(error) } }
}

/** Why a target did not open, and what to do: what a child said last, where it ended. */
export function reasonOf(error: unknown): { what: string; fix: string | undefined } {
  if (!isJexoError(error)) return { what: error instanceof Error ? error.message : String(error), fix: undefined }
  if (error.code === 'closed')
    return {
      what: error.what.replace(/^the connection is closed \((.*)\)$/s, '$1'),
      fix: 'fix it, and press Connect',
    }
  return { what: error.where === undefined ? error.what : `${error.where}: ${error.what}`, fix: error.fix }
}
