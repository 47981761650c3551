import type { JsonObject } from '../protocol/messages.js'
import { rpcErrors } from '../protocol/rpc-error.js'

/** A string parameter of a request. Throws -32602 if it is missing or has another type. */
export function stringParam(params: JsonObject, name: string): string {
  const value = params[name]
  if (typeof value !== 'string') throw rpcErrors.invalidParams(`"${name}" must be a string`)
  return value
}
