import { protocolErrors } from '../protocol/errors.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { findRevision, newestRevision, type Revision, revisions } from '../protocol/revisions.js'
import type { InitializeResult } from '../protocol/types.js'
import { version } from '../version.js'
import { linkErrors } from './errors.js'
import type { LinkOptions } from './options.js'
import { clientCapabilities } from './server-requests.js'

/**
 * Sends `initialize` and checks the response (Lifecycle, "Initialization"). Rejects if both sides have no revision in
 * common.
 */
export async function initialize(
  ask: (params: JsonObject) => Promise<JsonObject>,
  options: LinkOptions,
): Promise<{ revision: Revision; opened: InitializeResult }> {
  const asked = options.revision === undefined ? newestRevision : findRevision(options.revision)
  if (!asked)
    throw linkErrors.revisionRefused(
      String(options.revision),
      revisions.map((known) => known.date),
    )
  const result = await ask({
    protocolVersion: asked.date,
    capabilities: { ...clientCapabilities(asked, options) },
    clientInfo: options.clientInfo ?? { name: 'jexo', version },
  })
  const revision = revisions.find((known) => known.date === result.protocolVersion)
  if (!revision)
    throw linkErrors.revisionRefused(
      String(result.protocolVersion),
      revisions.map((known) => known.date),
    )
  if (!isObject(result.capabilities) || !isObject(result.serverInfo)) {
    throw protocolErrors.responseMalformed('initialize', '"capabilities" and "serverInfo" must be objects')
  }
  return { revision, opened: result as unknown as InitializeResult }
}
