import { isJexoError } from '../errors.js'
import { isRefusal } from '../kit/refusal.js'
import { codes, RpcError } from '../protocol/rpc-error.js'
import type { ToolResult } from '../protocol/types.js'
import type { RunningKit } from './running-kit.js'

/**
 * The failure of a tool as text for a model (Tools, "Error Handling"): a `Refusal` unchanged, any other error as an id
 * that refers to the log.
 */
export function toolFailure(running: RunningKit, tool: string, error: unknown): ToolResult {
  return failed(running, messageFor(running, `tool ${tool}`, `${tool} failed`, error))
}

export function failed(running: RunningKit, text: string): ToolResult {
  return { content: [{ type: 'text', text: running.mask(text) }], isError: true }
}

/** The failure of a function whose request has no result for it: an error response. */
export function rpcFailure(
  running: RunningKit,
  what: string,
  error: unknown,
  refusalCode: number,
  data?: unknown,
): RpcError {
  if (error instanceof RpcError) return error
  const isSpoken = isRefusal(error) || isJexoError(error)
  const message = messageFor(running, what, `${what} failed`, error)
  return new RpcError(isSpoken ? refusalCode : codes.internal, running.mask(message), isSpoken ? data : undefined)
}

function messageFor(running: RunningKit, what: string, said: string, error: unknown): string {
  if (isRefusal(error)) {
    if (error.operatorNote !== undefined) running.report('error', `${what}: ${error.operatorNote}`)
    return [error.message, ...(error.visit ?? []).map(({ url, message }) => `${message} ${url}`)].join('\n')
  }
  if (isJexoError(error) && error.audience === 'caller') return error.message
  // A request of a tool to the host, such as for its model, that the host refused.
  if (error instanceof RpcError) return `The host refused: ${error.message}`
  const id = failureId()
  if (isJexoError(error)) {
    // Written for the operator: it may contain addresses, files and commands.
    running.report('error', `${what} failed (${id}): ${error.message}`)
    if (error.callerText !== undefined) return `${error.callerText} (error ${id})`
  } else {
    const stack = error instanceof Error ? (error.stack ?? error.message) : String(error)
    running.report('error', `${what} failed (${id}): ${stack}`)
  }
  return `${said} (error ${id}). The reason is in the server's log under that id; trying again the same way may not help.`
}

/** Eight hex digits that connect the text for the model with the line in the log. */
export function failureId(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(4)), (byte) => byte.toString(16).padStart(2, '0')).join(
    '',
  )
}
