import { isJexoError, messageOf } from '../errors.js'
import { RpcError } from '../protocol/rpc-error.js'
import type { Asked } from './view.js'

/** The error of a request, for the page. */
export function faultOf(error: unknown): Asked {
  if (error instanceof RpcError) return { error: { ...error.toFault() } }
  if (isJexoError(error) && error.code === 'closed') {
    const { problem } = reasonOf(error)
    return { error: { code: 'no-response', message: `${problem}. Fix it, and press Connect.` } }
  }
  return { error: { code: 'failed', message: messageOf(error) } }
}

/** Why a target did not open, and the fix; includes the last output of a child process that ended. */
export function reasonOf(error: unknown): { problem: string; fix: string | undefined } {
  if (!isJexoError(error)) return { problem: messageOf(error), fix: undefined }
  if (error.code === 'closed')
    return {
      problem: String(error.data.reason),
      fix: 'fix it, and press Connect',
    }
  return {
    problem: error.location === undefined ? error.problem : `${error.location}: ${error.problem}`,
    fix: error.fix,
  }
}
