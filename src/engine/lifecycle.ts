import type { Incoming } from '../protocol/dialogue.js'
import { implementationFor } from '../protocol/downgrade.js'
import { isObject } from '../protocol/messages.js'
import { newestRevision, revisions } from '../protocol/revisions.js'
import { rpcErrors } from '../protocol/rpc-error.js'
import type { ClientCapabilities, Implementation, InitializeResult, ServerCapabilities } from '../protocol/types.js'
import type { Engine } from './engine.js'
import type { Feature } from './features.js'
import { stringParam } from './params.js'

/** initialize, initialized and ping (Lifecycle, "Initialization"). */
export const lifecycle: Feature = {
  declare: () => ({}),
  isOffered: () => true,
  answers: { initialize, ping: () => ({}) },
  hear: {
    'notifications/initialized': (engine) => {
      if (engine.phase === 'answered') engine.phase = 'ready'
    },
  },
}

function initialize(engine: Engine, { params }: Incoming): InitializeResult {
  if (engine.phase !== 'new' && !engine.isStateless) {
    throw rpcErrors.invalidRequest('this session is initialized already; open another for another client')
  }
  const asked = stringParam(params, 'protocolVersion')
  if (!isObject(params.capabilities)) throw rpcErrors.invalidParams('"capabilities" must be an object')
  const revision = revisions.find((known) => known.date === asked) ?? newestRevision
  engine.client = clientOf(params.clientInfo)
  engine.clientCapabilities = params.capabilities as ClientCapabilities
  engine.revision = revision
  if (!engine.isStateless) engine.phase = 'answered'
  engine.opened()
  const { kit, implementation } = engine.running
  return {
    protocolVersion: revision.date,
    capabilities: capabilitiesFor(engine),
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

function capabilitiesFor(engine: Engine): ServerCapabilities {
  const { completions, ...rest } = engine.capabilities
  return engine.revision.completionsCapability && completions ? { ...rest, completions } : rest
}
