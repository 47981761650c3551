import type { Root } from '../kit/call.js'
import type { Incoming } from '../protocol/incoming.js'
import { isObject } from '../protocol/messages.js'
import { engineErrors } from './errors.js'
import type { Session } from './session.js'

/** roots/list: the folders of the host; malformed entries are left out (Roots). */
export async function roots(session: Session, incoming: Incoming): Promise<readonly Root[]> {
  if (!isObject(session.clientCapabilities.roots)) throw engineErrors.peerCannot('list its roots', 'roots')
  const result = await incoming.ask('roots/list', {})
  if (!Array.isArray(result.roots)) throw engineErrors.responseUnfit('roots/list', '"roots" is not an array')
  return result.roots.filter((root): root is Root => isObject(root) && typeof root.uri === 'string')
}
