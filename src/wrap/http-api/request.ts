import { uriComponent, uriUnreserved } from '../../escape/uri.js'
import { type FileGiven, multipartBody } from './multipart.js'
import type { BodyProperty, PlannedBody, PlannedOperation, PlannedParameter, Recorded } from './operation.js'
import { serialized, textOf, Unsendable } from './serialize.js'

/** A request exactly as it will be sent. */
export interface UpstreamRequest {
  readonly method: string
  readonly url: string
  readonly headers: readonly (readonly [name: string, value: string])[]
  readonly body?: Uint8Array
  /** True if it only reads, whatever its method; it may then be repeated. */
  readonly onlyReads?: boolean
}

/**
 * The request of an operation for these arguments. Throws `Unsendable` for a value that is impossible in its place: an
 * empty path segment, which would address something else, or a header with a line break. Files have been read already.
 */
export function requestOf(
  operation: PlannedOperation,
  base: string,
  given: Readonly<Record<string, unknown>>,
  settings: Readonly<Record<string, string | undefined>> = {},
): UpstreamRequest {
  const { method, parameters, body, response } = operation
  const valueFor: ValueOf = ({ argument, setting, fixed, otherwise }) =>
    setting !== undefined ? settings[setting] : argument === undefined ? fixed : givenOr(given, argument, otherwise)
  const sent = (place: PlannedParameter['in']) =>
    parameters
      .filter((parameter) => parameter.in === place)
      .flatMap((parameter) => {
        const value = valueFor(parameter)
        if (value === null && place === 'path')
          throw new Unsendable(parameter.argument, 'may not be null, since it is a segment of the path')
        const text = recordedText(parameter.recorded, value) ?? serialized(parameter, value)
        return text === undefined ? [] : [{ parameter, text }]
      })
  const query = sent('query')
  const cookies = sent('cookie').map(({ text }) => text)
  const headers: [string, string][] = sent('header').map(({ parameter, text }) => [
    parameter.name,
    headerValue(parameter, text),
  ])
  const content = body ? bodyOf(body, given, valueFor) : undefined
  const has = (name: string) => headers.some(([known]) => known.toLowerCase() === name)
  if (!has('accept')) headers.push(['accept', response.accept])
  // A recorded upload may have no content type.
  if (content?.mediaType && !has('content-type')) headers.push(['content-type', content.mediaType])
  if (cookies.length > 0) headers.push(['cookie', cookies.join('; ')])
  const path = pathOf(
    operation,
    new Map(sent('path').map(({ parameter, text }) => [parameter.name, { parameter, text }])),
  )
  return {
    method,
    url: joined(base, path, query),
    headers,
    ...(content ? { body: content.bytes } : {}),
    ...(operation.effect === 'read' ? { onlyReads: true } : {}),
  }
}

/** The path with its values; no value can turn it into another path. */
function pathOf(
  { path, parameters }: PlannedOperation,
  pieces: ReadonlyMap<string, { parameter: PlannedParameter; text: string }>,
): string {
  const [pathname = ''] = path.split('?')
  const filled = (text: string) =>
    text.replace(/\{([^{}]+)\}/g, (placeholder, name: string) => pieces.get(name)?.text ?? placeholder)
  const whole = filled(pathname)
  const wanted = pathname.split('/')
  for (const [at, segment] of whole.split('/').entries()) {
    const [, name] = /\{([^{}]+)\}/.exec(wanted[at] ?? '') ?? []
    if (name === undefined) continue
    const argument = parameters.find((parameter) => parameter.in === 'path' && parameter.name === name)?.argument
    if (segment === '') throw new Unsendable(argument, 'may not be empty, since it is a segment of the path')
    if (leadsElsewhere(segment)) throw new Unsendable(argument, elsewhere)
  }
  for (const { parameter, text } of pieces.values())
    if (leadsElsewhere(text)) throw new Unsendable(parameter.argument, elsewhere)
  return whole + filled(path.slice(pathname.length))
}

const elsewhere = 'must not contain "." or ".." as a path segment, encoded or not: it would change the path'

/**
 * True for a text with a dot segment, however often it is encoded, since intermediate servers and proxies may decode it
 * again.
 */
function leadsElsewhere(text: string): boolean {
  let at = text
  for (let times = 0; times < 6; times++) {
    if (/(?:^|[/\\])\.{1,2}(?:;[^/\\]*)?(?:[/\\]|$)/.test(at)) return true
    const next = decodedOnce(at)
    if (next === at) return false
    at = next
  }
  // No legitimate text is encoded that often.
  return true
}

/**
 * Decodes valid escapes and leaves others, since intermediaries may be as lenient. Overlong forms of a dot and a slash
 * are decoded too.
 */
const decodedOnce = (text: string): string =>
  text
    .replace(/%c0%ae|%e0%80%ae/gi, '.')
    .replace(/%c0%af|%e0%80%af|%c1%9c/gi, '/')
    .replace(/%u([\da-f]{4})/gi, (_whole, hex: string) => String.fromCharCode(Number.parseInt(hex, 16)))
    .replace(/(?:%[\da-f]{2})+/gi, (whole) => {
      try {
        return decodeURIComponent(whole)
      } catch {
        return whole.replace(/%([0-7][\da-f])/gi, (_one, hex: string) =>
          String.fromCharCode(Number.parseInt(hex, 16)),
        )
      }
    })
    .replace(/[\uff0e\u2024]/g, '.')
    .replace(/[\uff0f\u2215\u2044]/g, '/')

/** A segment of a URL in a description: characters that a URL cannot contain are encoded, and encoded ones stay. */
const legal = (text: string): string => text.replace(/[^\x21-\x7e]+|["<>\\^`{|}]/g, uriComponent)

/**
 * The URL. Queries of the base and of the path are kept, except pairs that a parameter replaces or that have no value.
 */
function joined(
  base: string,
  path: string,
  query: readonly { parameter: PlannedParameter; text: string }[],
): string {
  const [before = '', beforeQuery = ''] = base.split('?')
  const root = before.replace(/\/+$/, '')
  const [own = '', ownQuery = ''] = path.split(/\?(.*)/s)
  const replaced = new Set(query.map(({ parameter }) => uriUnreserved(parameter.name)))
  const isKept = (pair: string) => {
    const [name = '', value = ''] = pair.split(/=(.*)/s)
    return pair !== '' && !replaced.has(name) && !/^\{[^{}]+\}$/.test(value)
  }
  const fixed = [beforeQuery, ownQuery]
    .flatMap((text) => text.split('&'))
    .filter(isKept)
    .map(legal)
  const all = [...fixed, ...query.map(({ text }) => text)].filter((piece) => piece !== '')
  const pathname = legal(own.startsWith('/') || own === '' ? own : `/${own}`)
  return `${root}${pathname}${all.length > 0 ? `?${all.join('&')}` : ''}`
}

function headerValue({ argument, name }: PlannedParameter, text: string): string {
  if (/[^\t\x20-\x7e\x80-\xff]/.test(text))
    throw new Unsendable(argument, `cannot be sent in the header ${name}: use one line of Latin-1 characters`)
  return text
}

interface Content {
  readonly bytes: Uint8Array
  readonly mediaType: string | undefined
}
const bytesOf = (text: string): Uint8Array => new TextEncoder().encode(text)

/** An explicit null is a value; a missing argument has a default. */
const givenOr = (given: Readonly<Record<string, unknown>>, argument: string, otherwise: unknown): unknown =>
  Object.hasOwn(given, argument) && given[argument] !== undefined ? given[argument] : otherwise

type ValueOf = (from: Pick<PlannedParameter, 'argument' | 'setting' | 'fixed' | 'otherwise'>) => unknown

/** An equal value keeps its original text. */
const recordedText = (recorded: Recorded | undefined, value: unknown): string | undefined =>
  recorded !== undefined && JSON.stringify(recorded.value) === JSON.stringify(value) ? recorded.text : undefined

function bodyOf(
  body: PlannedBody,
  given: Readonly<Record<string, unknown>>,
  valueFor: ValueOf,
): Content | undefined {
  const { form, mediaType, argument, properties = [], fixed } = body
  const values = properties.flatMap((property) => {
    const value = valueFor(property)
    return value === undefined ? [] : [{ property, value }]
  })
  const whole = argument === undefined ? fixed : givenOr(given, argument, fixed)
  if (whole === undefined && values.length === 0) return undefined
  if (form === 'json') {
    const json = jsonOf(whole, values)
    return { bytes: bytesOf(recordedText(body.recorded, json) ?? JSON.stringify(json)), mediaType }
  }
  if (form === 'form') {
    const pairs = argument === undefined ? values : entries(whole)
    const texts = (value: unknown) => (Array.isArray(value) ? value.map(textOf) : textOf(value))
    const plain = pairs.map(({ property, value }) => [property.path[0], texts(value)])
    return { bytes: bytesOf(recordedText(body.recorded, plain) ?? pairs.flatMap(formPiece).join('&')), mediaType }
  }
  if (form === 'multipart')
    return multipartBody(argument === undefined ? values.flatMap(styledParts) : entries(whole))
  if (form === 'binary' && typeof whole === 'object' && whole !== null) {
    const file = whole as FileGiven
    return {
      bytes: file.bytes,
      mediaType: file.mediaType ?? (mediaType.includes('*') ? 'application/octet-stream' : mediaType),
    }
  }
  return { bytes: bytesOf(textOf(whole)), mediaType: mediaType.includes('*') ? 'text/plain' : mediaType }
}

const entries = (whole: unknown): { property: BodyProperty; value: unknown }[] =>
  Object.entries((whole ?? {}) as object)
    .filter(([, value]) => value !== undefined)
    .map(([name, value]) => ({ property: { path: [name] }, value }))

/** A JSON value with other values inserted. */
function jsonOf(whole: unknown, values: readonly { property: BodyProperty; value: unknown }[]): unknown {
  let root: unknown = structuredClone(whole)
  for (const { property, value } of values) root = placed(root, property.path, value)
  return root
}

function placed(at: unknown, [key, ...rest]: readonly (string | number)[], value: unknown): unknown {
  if (key === undefined) return value
  const holder = (typeof at === 'object' && at !== null ? at : typeof key === 'number' ? [] : {}) as Record<
    string | number,
    unknown
  >
  // A key such as __proto__ is treated as any other key.
  Object.defineProperty(holder, key, {
    value: placed(Object.hasOwn(holder, key) ? holder[key] : undefined, rest, value),
    enumerable: true,
    configurable: true,
    writable: true,
  })
  return holder
}

/** The parts of a value with a declared style: `a[b]=1` of a deep object is one part. */
function styledParts(part: { property: BodyProperty; value: unknown }): (typeof part)[] {
  const { property, value } = part
  if (property.style === undefined || property.isFile || typeof value !== 'object' || value === null) return [part]
  const decoded = (text: string) => decodeURIComponent(text.replaceAll('+', ' '))
  return formPiece(part)
    .flatMap((piece) => piece.split('&'))
    .map((pair) => {
      const at = pair.indexOf('=')
      return { property: { path: [decoded(pair.slice(0, at))] }, value: decoded(pair.slice(at + 1)) }
    })
}

/** One field of a form: spaces become `+`, lists are repeated, objects are JSON, unless a style is declared. */
function formPiece({ property, value }: { property: BodyProperty; value: unknown }): string[] {
  const name = String(property.path[0])
  const plus = (text: string) => text.replaceAll('%20', '+')
  // An explicit null clears a field, as an empty text does in a form.
  if (property.style !== undefined && value !== null) {
    const { style, explode = style === 'form' } = property
    const text = serialized({ name, in: 'query', style, explode }, value)
    return text === undefined ? [] : [style === 'spaceDelimited' ? text : plus(text)]
  }
  const items = Array.isArray(value) ? value : [value]
  return items.map((item) => `${plus(uriUnreserved(name))}=${plus(uriUnreserved(textOf(item)))}`)
}
