import type { RpcFault } from './messages.js'

/** Codes of error responses (Overview, "Responses"). */
export const codes = {
  parse: -32700,
  invalidRequest: -32600,
  methodNotFound: -32601,
  invalidParams: -32602,
  internal: -32603,
  resourceNotFound: -32002,
  urlElicitationRequired: -32042,
  userRejected: -1,
} as const

/** An error response: thrown by the code that answers a request, and received by the side that sent it. */
export class RpcError extends Error {
  readonly code: number
  readonly data: unknown

  constructor(code: number, message: string, data?: unknown) {
    super(message)
    this.name = 'RpcError'
    this.code = code
    this.data = data
  }

  toFault(): RpcFault {
    return this.data === undefined
      ? { code: this.code, message: this.message }
      : { code: this.code, message: this.message, data: this.data }
  }
}

export const rpcErrors = {
  methodNotFound: (method: string) => new RpcError(codes.methodNotFound, `Method not found: ${method}`),
  invalidParams: (reason: string, data?: unknown) =>
    new RpcError(codes.invalidParams, `Invalid params: ${reason}`, data),
  invalidRequest: (reason: string) => new RpcError(codes.invalidRequest, `Invalid request: ${reason}`),
  resourceNotFound: (uri: string, message = `Resource not found: ${uri}`) =>
    new RpcError(codes.resourceNotFound, message, { uri }),
} as const
