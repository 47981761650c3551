import { type SessionState, stateIn, stateOf } from '../../engine/session-state.js'
import { isObject } from '../../protocol/messages.js'
import type { HttpSession } from './session.js'

/** Version of the stored format; processes with another version ignore the entry. */
const version = 1

/** Maximum size of a session's state, in characters. */
export const mostStateCharacters = 64 * 1024

export interface StoredSession {
  owner: string | undefined
  only: string | undefined
  state: SessionState
}

/** A session in stored form. The first word says whether it accepts messages that belong to no request. */
export function storedText({ owner, engine }: HttpSession): string {
  const state = stateOf(engine)
  const { isReady, ...rest } = state
  return `${isReady ? 'ready' : 'begun'} ${JSON.stringify({ version, owner, only: engine.only, ...rest })}`
}

/** A session from its stored form; undefined if this version cannot parse it. */
export function readStored(text: string): StoredSession | undefined {
  const [, word, json] = /^(ready|begun) (.*)$/s.exec(text) ?? []
  if (json === undefined) return undefined
  let value: unknown
  try {
    value = JSON.parse(json)
  } catch {
    return undefined
  }
  if (!isObject(value) || value.version !== version) return undefined
  const state = stateIn({ ...value, isReady: word === 'ready' })
  const { owner, only } = value
  if (!state || !isTextOrNone(owner) || !isTextOrNone(only)) return undefined
  return { owner, only, state }
}

const isTextOrNone = (value: unknown): value is string | undefined =>
  value === undefined || typeof value === 'string'
