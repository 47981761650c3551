import { uriUnreserved } from '../../escape/uri.js'
import type { PlannedParameter, Style } from './operation.js'

/** A value that cannot be sent in its place, with an error text for the model. */
export class Unsendable extends Error {
  readonly argument: string | undefined
  constructor(argument: string | undefined, reason: string) {
    super(reason)
    this.argument = argument
  }
}

type Encode = (text: string) => string

/**
 * Keeps reserved and encoded characters, as `allowReserved` requires, except `#` and `&`, which would end the value.
 */
const reservedKept: Encode = (text) =>
  uriUnreserved(text)
    .replace(/%(3A|2F|3F|5B|5D|40|21|24|27|28|29|2A|2B|2C|3B|3D)/g, (code) => decodeURIComponent(code))
    .replace(/%25([0-9A-Fa-f]{2})/g, '%$1')

const asIs: Encode = (text) => text

/**
 * The text of a parameter in its place, by `style` and `explode` of OpenAPI, which follow RFC 6570: a path segment,
 * `name=value` of the query (several joined by `&`), a header value, `name=value` of a cookie. Undefined if there is
 * nothing to send: a missing value, null, an empty list.
 */
export function serialized(parameter: PlannedParameter, value: unknown): string | undefined {
  const { in: place, name, style, explode, allowsReserved } = parameter
  if (value === undefined || (value === null && !parameter.isJson)) return undefined
  const encode = place === 'header' ? asIs : allowsReserved && place === 'query' ? reservedKept : uriUnreserved
  const given = parameter.isJson ? JSON.stringify(value) : value
  const shown = isList(given) || isMap(given) ? given : textOf(given)
  const key = place === 'path' ? name : encode(name)
  if (place === 'path' || place === 'header') return positional(style, explode, key, shown, encode)
  return named(style, explode, key, shown, encode)
}

/** Styles of paths and headers: a prefix and values. */
function positional(style: Style, explode: boolean, name: string, value: unknown, encode: Encode): string {
  if (style === 'label') {
    if (typeof value === 'string') return `.${encode(value)}`
    return `.${valuesOf(value, explode ? '=' : ',', encode).join(explode ? '.' : ',')}`
  }
  if (style === 'matrix') {
    if (typeof value === 'string') return value === '' ? `;${name}` : `;${name}=${encode(value)}`
    if (!explode) return `;${name}=${valuesOf(value, ',', encode).join(',')}`
    const pairs = isList(value)
      ? value.map((item) => [name, encode(textOf(item))] as const)
      : entriesOf(value).map(([key, item]) => [encode(key), encode(textOf(item))] as const)
    return pairs.map(([key, text]) => (text === '' ? `;${key}` : `;${key}=${text}`)).join('')
  }
  if (typeof value === 'string') return encode(value)
  return valuesOf(value, explode ? '=' : ',', encode).join(',')
}

const separators: Partial<Record<Style, string>> = {
  spaceDelimited: '%20',
  pipeDelimited: '%7C',
  tabDelimited: '%09',
}

/** Styles of queries and cookies: `name=value`. */
function named(style: Style, explode: boolean, name: string, value: unknown, encode: Encode): string | undefined {
  if (typeof value === 'string') return `${name}=${encode(value)}`
  if (isList(value) ? value.length === 0 : entriesOf(value).length === 0) return undefined
  if (style === 'deepObject') return deep(name, value, encode).join('&') || undefined
  if (explode) {
    const pairs = isList(value)
      ? value.map((item) => [name, item] as const)
      : entriesOf(value).map(([key, item]) => [encode(key), item] as const)
    return pairs.map(([key, item]) => `${key}=${encode(textOf(item))}`).join('&')
  }
  return `${name}=${valuesOf(value, separators[style] ?? ',', encode).join(separators[style] ?? ',')}`
}

function deep(name: string, value: unknown, encode: Encode): string[] {
  if (isList(value)) {
    // Items with nested values are distinguished by their index; plain values repeat the name.
    const isNested = value.some((item) => isList(item) || isMap(item))
    return value.flatMap((item, at) => deep(isNested ? `${name}%5B${at}%5D` : name, item, encode))
  }
  if (isMap(value))
    return entriesOf(value).flatMap(([key, item]) => deep(`${name}%5B${encode(key)}%5D`, item, encode))
  return [`${name}=${encode(textOf(value))}`]
}

/** Items of a list, or keys and values of an object: `R,100` or `R=100`. */
function valuesOf(value: unknown, between: string, encode: Encode): string[] {
  if (isList(value)) return value.map((item) => encode(textOf(item)))
  return entriesOf(value).map(([key, item]) => `${encode(key)}${between}${encode(textOf(item))}`)
}

const isList = (value: unknown): value is readonly unknown[] => Array.isArray(value)
const isMap = (value: unknown): value is object => typeof value === 'object' && value !== null && !isList(value)
/** Missing values of an object are not sent. */
const entriesOf = (value: unknown): [string, unknown][] =>
  Object.entries(value as object).filter(([, item]) => item !== undefined && item !== null)

/** One value as text; values nested deeper than a list or an object of plain values become JSON. */
export function textOf(value: unknown): string {
  if (typeof value === 'string') return value
  return value === null ? '' : (JSON.stringify(value) ?? '')
}
