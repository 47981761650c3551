import type { JsonObject } from '../protocol/messages.js'
import type { Identity } from './call.js'

/** One caller as a key: what belongs to it is not for others. */
export const ownerOf = ({ issuer, subject }: Identity): string => `${issuer ?? ''}\n${subject}`

/** A caller as data, for another process: without what only this one can do. */
export function plainIdentity({ exchange: _, ...identity }: Identity): JsonObject {
  return JSON.parse(JSON.stringify(identity)) as JsonObject
}
