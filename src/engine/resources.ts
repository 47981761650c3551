import type { Call } from '../kit/call.js'
import { isContent } from '../kit/content.js'
import { pageText } from '../kit/pages.js'
import type { ResourcePart, ViewPart, Watched } from '../kit/part.js'
import { plainJson } from '../kit/plain-json.js'
import type { Shared } from '../kit/shared.js'
import type { Check } from '../kit/validation.js'
import { isVerbatim } from '../kit/verbatim.js'
import { isView, samplesFor, viewContents, withSamples } from '../kit/view.js'
import { toBase64 } from '../protocol/base64.js'
import { readResultFor, resourceFor } from '../protocol/downgrade.js'
import type { Incoming } from '../protocol/incoming.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { codes, RpcError, rpcErrors } from '../protocol/rpc-error.js'
import type { EmbeddedContent, ReadResult, ResourceContents, ResourceDefinition } from '../protocol/types.js'
import { callFor } from './call-context.js'
import { rpcFailure } from './failures.js'
import type { Feature } from './feature.js'
import { keptPage } from './kept-lists.js'
import { layersFor, throughLayers } from './layered.js'
import { type Placed, paginate } from './pages.js'
import { stringParam } from './params.js'
import { definitionsOf, type ReadyResource, type ReadyTemplate } from './part-index.js'
import type { Session } from './session.js'

/** Resources and templates: list, read, subscribe (Resources). */
export const resources: Feature = {
  declare: (index, isStateless) => {
    if (!isStateless) return { resources: { subscribe: true, listChanged: true } }
    return index.resources.size + index.templates.size > 0 ? { resources: {} } : {}
  },
  isOffered: (session) => session.capabilities.resources !== undefined,
  requests: {
    'resources/list': list,
    'resources/templates/list': listTemplates,
    'resources/read': read,
    'resources/subscribe': subscribe,
    'resources/unsubscribe': unsubscribe,
  },
}

async function list(session: Session, incoming: Incoming) {
  const { index } = session
  const { pageSize } = session.running
  const lists = [...index.templates.values()].filter((ready) => ready.part.list)
  if (lists.length === 0)
    return keptPage(index, 'resources', session.revision, incoming.params, () => fixedPage(session, incoming))
  const found = await Promise.all(lists.map((ready) => listed(session, incoming, ready)))
  const entries = [...definitionsOf(index.resources, session.revision), ...found.flat()]
  entries.sort((a, b) => a.place - b.place || a.offset - b.offset)
  const { items, ...next } = paginate('resources', unique(entries), incoming.params, index.latestPlace, pageSize)
  return { resources: items, ...next }
}

/** Without listing templates, this page is the same for all sessions that see these parts. */
function fixedPage({ index, revision, running }: Session, { params }: Incoming): JsonObject {
  const entries = definitionsOf(index.resources, revision)
  const { items, ...next } = paginate('resources', entries, params, index.latestPlace, running.pageSize)
  return { resources: items, ...next }
}

function unique(entries: Placed<ResourceDefinition>[]): Placed<ResourceDefinition>[] {
  const seen = new Set<string>()
  return entries.filter(({ value }) => !seen.has(value.uri) && seen.add(value.uri))
}

async function listed(
  session: Session,
  incoming: Incoming,
  ready: ReadyTemplate,
): Promise<Placed<ResourceDefinition>[]> {
  const { running, revision } = session
  try {
    const found = await running.carry(`template \`${ready.part.name}\``, () =>
      ready.part.list?.(callFor(session, incoming, ready.part.name)),
    )
    return (found ?? []).map((definition, offset) => ({
      place: ready.place,
      offset,
      value: resourceFor(revision, definition),
    }))
  } catch (error) {
    // One unavailable source must not hide the resources of others.
    rpcFailure(running, `the list of ${ready.part.uriTemplate}`, error, codes.internal)
    return []
  }
}

function listTemplates(session: Session, { params }: Incoming) {
  const { index } = session
  const { pageSize } = session.running
  return keptPage(index, 'templates', session.revision, params, () => {
    const entries = definitionsOf(index.templates, session.revision)
    const { items, ...next } = paginate('templates', entries, params, index.latestPlace, pageSize)
    return { resourceTemplates: items, ...next }
  })
}

type Reader = {
  label: string
  mimeType: string | undefined
  source: Shared<unknown> | undefined
  read: () => unknown
  part: ReadyResource['part'] | ReadyTemplate['part']
}

async function read(session: Session, incoming: Incoming): Promise<ReadResult> {
  const uri = uriParam(incoming.params)
  const reader = readerOf(session, incoming, uri)
  if (!reader) throw rpcErrors.resourceNotFound(uri)
  const { running } = session
  try {
    const given = await running.carry(reader.label, reader.read)
    if (isVerbatim(given)) return readResultFor(session.revision, given.result as unknown as ReadResult)
    return readResultFor(session.revision, { contents: contentsOf(uri, reader.mimeType, given) })
  } catch (error) {
    throw rpcFailure(running, `reading ${uri}`, error, codes.resourceNotFound, { uri })
  }
}

function readerOf(session: Session, incoming: Incoming, uri: string): Reader | undefined {
  const { index } = session
  const fixed = index.resources.get(uri)
  if (fixed) {
    const { part } = fixed
    const run =
      isView(part) && part.passes !== true
        ? () => readView(session, part)
        : (_: unknown, call: Call) => (part as ResourcePart).read(call)
    return readerFor(session, incoming, fixed, `resource \`${part.name}\``, uri, {}, run)
  }
  for (const ready of index.templates.values()) {
    const { part } = ready
    const variables = part.parsed.match(uri)
    if (!variables) continue
    const read = (input: unknown, call: Call) => part.read(input as Record<string, string>, call)
    return readerFor(session, incoming, ready, `template \`${part.name}\``, uri, variables, read)
  }
  return undefined
}

/** The document of a view, with examples of its tools for use without a host. */
async function readView({ index }: Session, part: ViewPart) {
  const html = await pageText(part.uri, part.page)
  if (typeof part.page === 'string') return viewContents(part, html)
  const tools = [...index.tools.values()].map((ready) => ready.part)
  return viewContents(part, withSamples(html, samplesFor(part.uri, tools)))
}

function readerFor(
  session: Session,
  incoming: Incoming,
  { part, layers: all }: ReadyResource | ReadyTemplate,
  label: string,
  uri: string,
  input: Readonly<Record<string, string>>,
  run: (input: unknown, call: Call) => unknown,
): Reader {
  const layers = layersFor(all, 'resources/read')
  const method = 'resources/read'
  return {
    label,
    part,
    mimeType: part.mimeType,
    source: part.source,
    read: () =>
      layers.length === 0
        ? run(input, callFor(session, incoming, part.name))
        : throughLayers({ session, incoming, part, layers, method, input, uri, check: textsOnly, run }),
  }
}

const textsOnly: Check = (value) =>
  isObject(value) && Object.values(value).every((item) => typeof item === 'string')
    ? { ok: true, value }
    : { ok: false, issues: [{ path: [], reason: 'expected an object of strings' }] }

function contentsOf(uri: string, mimeType: string | undefined, given: unknown): ResourceContents[] {
  if (given === undefined) {
    throw new RpcError(codes.internal, `reading ${uri} returned undefined: is a "return" missing?`)
  }
  if (typeof given === 'string') return [{ uri, mimeType: mimeType ?? 'text/plain', text: given }]
  if (given instanceof Uint8Array) {
    return [{ uri, mimeType: mimeType ?? 'application/octet-stream', blob: toBase64(given) }]
  }
  const several = Array.isArray(given) ? given : [given]
  if (several.length > 0 && several.every((item) => isContent(item) && item.type === 'resource')) {
    return (several as EmbeddedContent[]).map((item) => item.resource)
  }
  const plain = plainJson(given)
  if (!plain.ok)
    throw new RpcError(
      codes.internal,
      `reading ${uri} returned a value that JSON cannot hold: ${plain.path} ${plain.problem}`,
    )
  return [{ uri, mimeType: mimeType ?? 'application/json', text: JSON.stringify(plain.value) }]
}

function subscribe(session: Session, incoming: Incoming) {
  const uri = uriParam(incoming.params)
  if (session.isStateless) throw rpcErrors.methodNotFound('resources/subscribe')
  const reader = readerOf(session, incoming, uri)
  if (!reader) throw rpcErrors.resourceNotFound(uri)
  session.subscriptions ??= new Set()
  if (session.subscriptions.size >= maxSubscriptions && !session.subscriptions.has(uri))
    throw new RpcError(codes.internal, `this session has ${maxSubscriptions} subscriptions already; end some first`)
  session.subscriptions.add(uri)
  const { part } = reader
  if (part.subscribe) return watch(session, incoming, part.name, part.subscribe, uri)
  // Watching starts in the background; this response does not depend on it.
  if (reader.source) session.running.keepOpen(reader.source)
  return {}
}

/** Maximum number of subscriptions of a session; the length of URIs is limited, too. */
const maxSubscriptions = 1000
const maxUriCharacters = 8192

function uriParam(params: JsonObject): string {
  const uri = stringParam(params, 'uri')
  if (uri.length > maxUriCharacters)
    throw rpcErrors.invalidParams(`"uri" is longer than ${maxUriCharacters} characters`)
  return uri
}

function unsubscribe(session: Session, incoming: Incoming) {
  if (session.isStateless) throw rpcErrors.methodNotFound('resources/unsubscribe')
  const uri = uriParam(incoming.params)
  if (!session.subscriptions?.delete(uri)) return {}
  const part = readerOf(session, incoming, uri)?.part
  return part?.unsubscribe ? watch(session, incoming, part.name, part.unsubscribe, uri) : {}
}

/** Tells a wrap when resources get and lose subscribers. */
async function watch(
  session: Session,
  incoming: Incoming,
  name: string,
  change: NonNullable<Watched['subscribe']>,
  uri: string,
) {
  try {
    await session.running.carry(`resource \`${name}\``, () => change(uri, callFor(session, incoming, name)))
    return {}
  } catch (error) {
    throw rpcFailure(session.running, `watching ${uri}`, error, codes.internal)
  }
}
