import { implementationFor } from '../protocol/downgrade.js'
import type { Incoming } from '../protocol/incoming.js'
import { isObject } from '../protocol/messages.js'
import { newestRevision, revisions } from '../protocol/revisions.js'
import { rpcErrors } from '../protocol/rpc-error.js'
import type { ClientCapabilities, Implementation, InitializeResult, ServerCapabilities } from '../protocol/types.js'
import { uiExtension } from '../protocol/ui.js'
import type { Feature } from './feature.js'
import { stringParam } from './params.js'
import type { Session } from './session.js'

/** initialize, initialized and ping (Lifecycle, "Initialization"). */
export const lifecycle: Feature = {
  declare: () => ({}),
  isOffered: () => true,
  requests: { initialize, ping: () => ({}) },
  hear: {
    'notifications/initialized': (session) => {
      if (session.phase === 'initializing') session.phase = 'ready'
    },
    'notifications/roots/list_changed': (session) => session.rootsChanged(),
  },
}

function initialize(session: Session, { params }: Incoming): InitializeResult {
  if (session.phase !== 'new' && !session.isStateless) {
    throw rpcErrors.invalidRequest('this session is initialized already; open another for another client')
  }
  const asked = stringParam(params, 'protocolVersion')
  if (!isObject(params.capabilities)) throw rpcErrors.invalidParams('"capabilities" must be an object')
  const revision = revisions.find((known) => known.date === asked) ?? newestRevision
  session.client = clientOf(params.clientInfo)
  session.clientCapabilities = params.capabilities as ClientCapabilities
  session.revision = revision
  if (!session.isStateless) session.phase = 'initializing'
  session.opened()
  const { kit, implementation } = session.running
  return {
    protocolVersion: revision.date,
    capabilities: capabilitiesFor(session),
    serverInfo: implementationFor(revision, implementation),
    ...(kit.about === undefined ? {} : { instructions: kit.about }),
  }
}

function clientOf(info: unknown): Implementation {
  if (!isObject(info) || typeof info.name !== 'string' || typeof info.version !== 'string') {
    throw rpcErrors.invalidParams('"clientInfo" must have a name and a version')
  }
  const { name, version, title, description, websiteUrl } = info
  const cut = (text: unknown, most: number) => (typeof text === 'string' ? text.slice(0, most) : undefined)
  const more = { title: cut(title, 200), description: cut(description, 500), websiteUrl: cut(websiteUrl, 500) }
  return {
    name: name.slice(0, 200),
    version: version.slice(0, 100),
    ...Object.fromEntries(Object.entries(more).filter(([, text]) => text !== undefined)),
  }
}

function capabilitiesFor(session: Session): ServerCapabilities {
  const { completions, tasks, ...rest } = session.capabilities
  return {
    ...rest,
    ...(session.revision.completionsCapability && completions ? { completions } : {}),
    ...(session.revision.tasks && tasks ? { tasks } : {}),
    ...(session.showsViews ? { extensions: { [uiExtension]: {} } } : {}),
  }
}
