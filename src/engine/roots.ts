import type { Root } from '../kit/call.js'
import type { Incoming } from '../protocol/dialogue.js'
import { isObject } from '../protocol/messages.js'
import type { Engine } from './engine.js'
import { engineErrors } from './errors.js'

/** roots/list: the folders the host works in; what is malformed among them is left out (Roots). */
export async function roots(engine: Engine, incoming: Incoming): Promise<readonly Root[]> {
  if (!isObject(engine.clientCapabilities.roots)) throw engineErrors.peerCannot('tell its folders', 'roots')
  const answer = await incoming.ask('roots/list', {})
  if (!Array.isArray(answer.roots)) throw engineErrors.answerUnfit('roots/list', '"roots" is not an array')
  return answer.roots.filter((root): root is Root => isObject(root) && typeof root.uri === 'string')
}
