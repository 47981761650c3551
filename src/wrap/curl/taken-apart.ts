import { uriUnreserved } from '../../escape/uri.js'
import { isObject } from '../../protocol/messages.js'
import { isSecretValue } from '../../protocol/secrets.js'
import { parse as parseMediaType } from './media-type.js'
import {
  type RecordedBody,
  type RecordedRequest,
  soleVariable,
  variableMarkSource,
  variableMarks,
} from './recorded.js'

const addressParts = new RegExp(`^((?:[a-z]+:\\/\\/[^/?#]*|${variableMarkSource}))(.*)$`, 'is')
/** Unquoted variables in JSON. */
const bareMarks = new RegExp(`([:,[]\\s*)(${variableMarkSource})`, 'g')

/** A request in pieces, each of which may be equal or different in other requests. */
export interface TakenApart {
  readonly request: RecordedRequest
  /** Scheme and host; the variable's mark if the URL begins with one. */
  readonly origin: string
  /** Pieces of the path, decoded; pieces that look variable have a name. */
  readonly segments: readonly Segment[]
  readonly query: readonly Pair[]
  readonly headers: readonly (readonly [name: string, value: string])[]
  readonly basic?: string
  readonly body?: TakenBody
}
export interface Segment {
  readonly text: string
  readonly raw: string
  /** Name of a placeholder; empty for a piece that looks like an id. */
  readonly variable?: string
}
export interface Pair {
  readonly name: string
  readonly value: string
  readonly raw: string
}
export interface TakenBody {
  readonly form: 'json' | 'form' | 'multipart' | 'text' | 'binary'
  readonly mediaType: string
  /** Values in it by their location. */
  readonly leaves: readonly Leaf[]
  readonly text?: string
  readonly json?: unknown
}
export interface Leaf {
  readonly path: readonly string[]
  readonly value: unknown
  readonly isFile?: boolean
  readonly mediaType?: string
  readonly fileName?: string
}

export function takenApart(request: RecordedRequest): TakenApart {
  const [, start = '', rest = ''] = addressParts.exec(request.url) ?? []
  const [, user] = /^[a-z]+:\/\/([^@]*)@/i.exec(start) ?? []
  const [path = '', query = ''] = rest.replace(/#.*$/s, '').split(/\?(.*)/s)
  const basic = request.basic ?? (user === undefined ? undefined : decoded(user))
  const body = request.body && bodyOf(request.body)
  return {
    request,
    origin: start.replace(/\/\/[^@/]*@/, '//').replace(/^(https?):/i, (scheme) => scheme.toLowerCase()),
    segments: path.split('/').slice(1).map(segmentOf),
    query: query.split('&').filter(Boolean).map(pairOf),
    headers: request.headers.filter(([name]) => !/^(content-type|content-length|host)$/i.test(name)),
    ...(basic === undefined ? {} : { basic }),
    ...(body ? { body } : {}),
  }
}

function segmentOf(written: string): Segment {
  const text = decoded(written)
  const raw = isSendable(written) ? written : uriUnreserved(text)
  const [, braced, angled, colon, shouted] =
    /^(?:\{([\w.-]+)\}|<([\w-]+)>|:([A-Za-z]\w*)|(?:YOUR|MY|THE)_([A-Z\d_]+))$/.exec(text) ?? []
  const placeholder = soleVariable(text) ?? braced ?? angled ?? colon ?? shouted
  if (placeholder !== undefined) return { text, raw, variable: placeholder }
  return looksLikeId(text) || text.includes('@') || isSecretValue(text)
    ? { text, raw, variable: '' }
    : { text, raw }
}

/** Numbers, codes and dates: `7`, `ML-04`, a UUID; not versions, and not words that end with a digit. */
const looksLikeId = (text: string): boolean =>
  /\d/.test(text) &&
  !/^v\d+([.-]\w+)*$/i.test(text) &&
  !/^[a-z]+\d{1,2}$/.test(text) &&
  !/^[a-z_-]+[\d.]*\.(json|xml|csv|html?|ya?ml|txt)$/i.test(text)

function pairOf(raw: string): Pair {
  const at = raw.indexOf('=')
  const [name, value] = at < 0 ? [raw, ''] : [raw.slice(0, at), raw.slice(at + 1)]
  const pair = { name: decoded(name.replaceAll('+', ' ')), value: decoded(value.replaceAll('+', ' ')) }
  return { ...pair, raw: isSendable(raw) ? raw : `${uriUnreserved(pair.name)}=${uriUnreserved(pair.value)}` }
}

/** A body with more values than this becomes one argument, as text. */
const mostLeaves = 500

function bodyOf(body: RecordedBody): TakenBody {
  if (body.kind === 'multipart') {
    const leaves = body.fields.map(
      ({ name, value, mediaType, fileName }): Leaf => ({
        path: [name],
        value: value ?? '',
        ...(value === undefined ? { isFile: true } : {}),
        ...(mediaType === undefined ? {} : { mediaType }),
        ...(fileName === undefined ? {} : { fileName }),
      }),
    )
    return { form: 'multipart', mediaType: 'multipart/form-data', leaves: withLists(leaves) }
  }
  if (body.kind === 'file') {
    const isText = /json|xml|text|urlencoded/.test(body.mediaType ?? '')
    return { form: isText ? 'text' : 'binary', mediaType: body.mediaType ?? '', leaves: [] }
  }
  const { text } = body
  const named = parseMediaType(body.mediaType ?? '')
  const json =
    /json/.test(named) || named === '' || (named.endsWith('urlencoded') && /^\s*[{[]/.test(text))
      ? parsed(text)
      : undefined
  const mediaType = body.mediaType ?? (json ? 'application/json' : 'text/plain')
  const leaves = json && isObject(json.value) ? leavesOf(json.value) : []
  if (json && isObject(json.value) && leaves.length <= mostLeaves)
    return { form: 'json', mediaType, leaves, text, json: json.value }
  if (named.endsWith('urlencoded') && /^[^=&\s]+=/.test(text) && text.split('&').length <= mostLeaves)
    return {
      form: 'form',
      mediaType: named,
      leaves: withLists(
        text
          .split('&')
          .filter(Boolean)
          .map(pairOf)
          .map(({ name, value }) => ({ path: [name], value })),
      ),
      text,
    }
  return { form: 'text', mediaType, leaves: [], text }
}

/** Fields of a form by name; a repeated field has a list of values. */
function withLists(leaves: readonly Leaf[]): Leaf[] {
  const byName = new Map<string, Leaf[]>()
  for (const leaf of leaves) {
    const name = leaf.path[0] ?? ''
    byName.set(name, [...(byName.get(name) ?? []), leaf])
  }
  return [...byName.values()].flatMap(([first, ...others]) =>
    first === undefined || others.length === 0
      ? (first ?? [])
      : { ...first, value: [first, ...others].map(({ value }) => value) },
  )
}

/** Values of an object by path; lists and deeply nested values stay whole. */
function leavesOf(value: object, path: readonly string[] = []): Leaf[] {
  return Object.entries(value).flatMap(([key, inner]) => {
    const at = [...path, key]
    return isObject(inner) && Object.keys(inner).length > 0 && path.length < 3
      ? leavesOf(inner, at)
      : [{ path: at, value: inner }]
  })
}

/** Parses JSON that may contain unquoted variables. */
function parsed(text: string): { value: unknown } | undefined {
  for (const candidate of [text, text.replace(bareMarks, '$1"$2"')]) {
    try {
      return { value: JSON.parse(candidate.replace(variableMarks, (mark) => JSON.stringify(mark).slice(1, -1))) }
    } catch {}
  }
  return undefined
}

/** Encodes spaces and non-ASCII characters in an address. */
const isSendable = (text: string): boolean => /^[!-~]*$/.test(text)

function decoded(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}
