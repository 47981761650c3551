import { type ParseError, parse, printParseErrorCode } from 'jsonc-parser'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import { hostConfigErrors } from '../errors.js'
import { edited } from './json-edit.js'
import type { ServerMap, Shape } from './shape.js'

/** Locations of the map of servers: at the top level or in larger settings. */
export const places: readonly (readonly string[])[] = [
  ['mcpServers'],
  ['servers'],
  ['mcp', 'mcpServers'],
  ['mcp', 'servers'],
]

/**
 * JSON with or without comments that contains a map of servers. `otherwise` is the path at which a missing map is
 * created.
 */
export function jsonShape(otherwise: 'mcpServers' | 'servers'): Shape {
  const pathIn = (file: string, text: string) => {
    const config = parseConfig(file, text)
    const path = findServers(config)?.path ?? [otherwise]
    refuseOther(file, config, path, 'object')
    return path
  }
  return {
    read: (file, text) => findServers(parseConfig(file, text)),
    takesInputs: true,
    put: (file, text, name, entry, inputs = []) => {
      const path = pathIn(file, text)
      const known = listAt(parseConfig(file, text), inputsBeside(path))
      const missing = inputs.filter(({ id }) => !known.some((item) => isObject(item) && item.id === id))
      const asked = missing.map((input) => ({ type: 'promptString', ...input, password: true }))
      if (asked.length > 0) refuseOther(file, parseConfig(file, text), inputsBeside(path), 'list')
      const withEntry = edited(text, [...path, name], entry)
      return asked.length === 0 ? withEntry : edited(withEntry, inputsBeside(path), [...known, ...asked])
    },
    remove: (file, text, name) => {
      const path = pathIn(file, text)
      const entry = findServers(parseConfig(file, text))?.servers[name]
      return withoutUnused(file, edited(text, [...path, name], undefined), inputsBeside(path), referredIn(entry))
    },
  }
}

const inputsBeside = (path: readonly string[]) => [...path.slice(0, -1), 'inputs']

const referredIn = (value: unknown) =>
  [...(JSON.stringify(value) ?? '').matchAll(/\$\{input:([^}"]+)\}/g)].map(([, id]) => id)

/** Inputs that only the removed entry referred to are removed too. */
function withoutUnused(file: string, text: string, path: readonly string[], ids: readonly unknown[]): string {
  const config = parseConfig(file, text)
  const known = listAt(config, path)
  const used = new Set(referredIn(config))
  const kept = known.filter((item) => !isObject(item) || !ids.includes(item.id) || used.has(String(item.id)))
  if (kept.length === known.length) return text
  return edited(text, path, kept.length === 0 ? undefined : kept)
}

/** Throws if an existing value is not the object or list that is needed there, since writing would lose it. */
function refuseOther(file: string, config: JsonObject, path: readonly string[], kind: 'object' | 'list'): void {
  const found = path.reduce<unknown>((at, key) => (isObject(at) ? at[key] : undefined), config)
  if (found === undefined || (kind === 'list' ? Array.isArray(found) : isObject(found))) return
  throw hostConfigErrors.configUnreadable(
    file,
    `"${path.join('.')}" is not ${kind === 'list' ? 'a list' : 'an object'}`,
  )
}

function listAt(config: JsonObject, path: readonly string[]): unknown[] {
  const found = path.reduce<unknown>((at, key) => (isObject(at) ? at[key] : undefined), config)
  return Array.isArray(found) ? found : []
}

/** Parses a JSON or JSONC text. Throws a `JexoError` that names the file and the position. */
export function parseConfig(file: string, text: string): JsonObject {
  const errors: ParseError[] = []
  const value: unknown = text.trim() === '' ? {} : parse(text, errors, { allowTrailingComma: true })
  const [first] = errors
  if (first) {
    const line = text.slice(0, first.offset).split('\n').length
    throw hostConfigErrors.configUnreadable(file, `${printParseErrorCode(first.error)} in line ${line}`)
  }
  if (!isObject(value)) throw hostConfigErrors.configUnreadable(file, 'it is not a JSON object')
  return value
}

/** Finds the map of servers at any of the paths that hosts use. */
export function findServers(config: JsonObject): ServerMap | undefined {
  for (const path of places) {
    const servers = path.reduce<unknown>((at, key) => (isObject(at) ? at[key] : undefined), config)
    if (isObject(servers)) return { path, servers }
  }
  return undefined
}
