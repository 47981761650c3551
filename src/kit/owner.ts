import type { JsonObject } from '../protocol/messages.js'
import type { Identity } from './call.js'

/** A key for one caller, so that callers cannot access each other's data. */
export const ownerOf = ({ issuer, subject }: Identity): string => `${issuer ?? ''}\n${subject}`

/** The data of a caller for another process, without functions that only work in this one. */
export function plainIdentity({ exchange: _, ...identity }: Identity): JsonObject {
  return JSON.parse(JSON.stringify(identity)) as JsonObject
}
