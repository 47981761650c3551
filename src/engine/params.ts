import type { JsonObject } from '../protocol/messages.js'
import { rpcErrors } from '../protocol/rpc-error.js'

/** A request's string parameter. Throws -32602 where it is missing or something else. */
export function stringParam(params: JsonObject, name: string): string {
  const value = params[name]
  if (typeof value !== 'string') throw rpcErrors.invalidParams(`"${name}" must be a string`)
  return value
}
