import type { LayerCall, LayeredMethod } from '../kit/layer.js'
import { ownerOf } from '../kit/owner.js'
import { keyOf } from '../kit/part.js'

/** The scope of a counter: each caller, session, client or part, or all calls together. */
export type By = 'identity' | 'session' | 'client' | 'part' | 'everyone'

/**
 * The key that a call is counted under. Unauthenticated callers are counted together; otherwise each new session would
 * start with a full limit.
 */
export function whoOf(call: LayerCall, by: By): string {
  if (by === 'part') return `${call.part.kind} ${keyOf(call.part)}`
  if (by === 'everyone') return ''
  const { identity, session } = call
  if (by === 'identity') return identity ? `identity ${ownerOf(identity)}` : 'unknown'
  if (by === 'client')
    return `client ${identity?.clientId ?? `${session.client?.name ?? ''} ${session.client?.version ?? ''}`}`
  return `session ${session.id ?? ''}`
}

/** Requests to which the layers of this folder apply: all except completions. */
export const usualMethods: readonly LayeredMethod[] = ['tools/call', 'resources/read', 'prompts/get']

/** True for requests that change nothing. */
export const isRead = ({ part }: LayerCall): boolean => part.kind !== 'tool' || part.effect === 'read'

/** A duration as text: `1 second`, `12 seconds`, `3 minutes`. */
export function inWords(ms: number): string {
  const seconds = Math.max(1, Math.ceil(ms / 1000))
  if (seconds < 120) return seconds === 1 ? '1 second' : `${seconds} seconds`
  return `${Math.ceil(seconds / 60)} minutes`
}
