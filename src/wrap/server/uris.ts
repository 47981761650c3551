import { isObject, type JsonObject } from '../../protocol/messages.js'

/** Maps URIs of one server to unique ones: `apiary://hives` of the server becomes `north+apiary://hives`. */
export interface UriMap {
  outer(uri: string): string
  inner(uri: string): string
}

const viewScheme = 'ui://'
const same: UriMap = { outer: (uri) => uri, inner: (uri) => uri }

/** Adds a prefix to the scheme; without one, URIs stay unchanged. */
export function uriMap(prefix: string | undefined): UriMap {
  if (prefix === undefined || prefix === '') return same
  const start = `${prefix}+`
  // Hosts recognize views by their scheme, so it stays.
  const viewStart = `${viewScheme}${prefix}.`
  return {
    outer: (uri) => (uri.startsWith(viewScheme) ? `${viewStart}${uri.slice(viewScheme.length)}` : `${start}${uri}`),
    inner: (uri) => {
      if (uri.startsWith(viewStart)) return `${viewScheme}${uri.slice(viewStart.length)}`
      return uri.startsWith(start) ? uri.slice(start.length) : uri
    },
  }
}

/** A result with the mapped URIs of its resources, links and embedded resources. */
export function withOuterUris(result: JsonObject, uris: UriMap): JsonObject {
  if (uris === same) return result
  const contents = Array.isArray(result.contents)
    ? { contents: result.contents.map((item) => named(item, uris)) }
    : {}
  const content = Array.isArray(result.content)
    ? { content: result.content.map((block) => ofBlock(block, uris)) }
    : {}
  const messages = Array.isArray(result.messages)
    ? { messages: result.messages.map((message) => ofMessage(message, uris)) }
    : {}
  return { ...result, ...contents, ...content, ...messages }
}

const named = (value: unknown, uris: UriMap): unknown =>
  isObject(value) && typeof value.uri === 'string' ? { ...value, uri: uris.outer(value.uri) } : value

function ofBlock(block: unknown, uris: UriMap): unknown {
  if (!isObject(block)) return block
  if (block.type === 'resource_link') return named(block, uris)
  return block.type === 'resource' ? { ...block, resource: named(block.resource, uris) } : block
}

const ofMessage = (message: unknown, uris: UriMap): unknown =>
  isObject(message) ? { ...message, content: ofBlock(message.content, uris) } : message
