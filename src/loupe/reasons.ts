import { isJexoError } from '../errors.js'
import { RpcError } from '../protocol/rpc-error.js'
import type { Asked } from './view.js'

/** What the page is told of a request that failed. */
export function faultOf(error: unknown): Asked {
  if (error instanceof RpcError) return { error: { ...error.toFault() } }
  if (isJexoError(error) && error.code === 'closed') {
    const { what } = reasonOf(error)
    return { error: { code: 'no-answer', message: `${what}. Mend it, and press Connect.` } }
  }
  return { error: { code: 'failed', message: error instanceof Error ? error.message : String(error) } }
}

/** Why a target did not open, and what to do: what a child said last, where it ended. */
export function reasonOf(error: unknown): { what: string; mend: string | undefined } {
  if (!isJexoError(error)) return { what: error instanceof Error ? error.message : String(error), mend: undefined }
  if (error.code === 'closed')
    return {
      what: error.what.replace(/^the connection is closed \((.*)\)$/s, '$1'),
      mend: 'mend it, and press Connect',
    }
  return { what: error.where === undefined ? error.what : `${error.where}: ${error.what}`, mend: error.mend }
}
