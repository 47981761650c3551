import { readFile } from 'node:fs/promises'
import { type ParseError, parse, printParseErrorCode } from 'jsonc-parser'
import { isJexoError, problems } from '../errors.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import type { ChildCommand } from '../transport/child-wire.js'

/** An entry of a host's configuration: a command to start, or a URL. */
export type ConfigEntry = ChildCommand | { url: string; headers?: Readonly<Record<string, string>> }

/** The map of servers in a configuration, and the path of keys that leads to it (digest §11). */
export interface ServerMap {
  path: readonly string[]
  servers: JsonObject
}

/** Reads a JSON or JSONC text. Throws a `JexoError` that names the file and the place. */
export function parseConfig(file: string, text: string): JsonObject {
  const errors: ParseError[] = []
  const value: unknown = text.trim() === '' ? {} : parse(text, errors, { allowTrailingComma: true })
  const [first] = errors
  if (first) {
    const line = text.slice(0, first.offset).split('\n').length
    throw problems.configUnreadable(file, `${printParseErrorCode(first.error)} in line ${line}`)
  }
  if (!isObject(value)) throw problems.configUnreadable(file, 'it is not a JSON object')
  return value
}

const places: readonly (readonly string[])[] = [
  ['mcpServers'],
  ['servers'],
  ['mcp', 'mcpServers'],
  ['mcp', 'servers'],
]

/** Finds the map of servers, wherever hosts keep it. */
export function findServers(config: JsonObject): ServerMap | undefined {
  for (const path of places) {
    const servers = path.reduce<unknown>((at, key) => (isObject(at) ? at[key] : undefined), config)
    if (isObject(servers)) return { path, servers }
  }
  return undefined
}

/** One entry of a host configuration file. Rejects with a `JexoError` that names what is there instead. */
export async function readConfigEntry(file: string, name: string): Promise<ConfigEntry> {
  const servers = await readServers(file)
  const entry = Object.hasOwn(servers, name) ? servers[name] : undefined
  if (!isObject(entry)) throw problems.configEntryMissing(file, name, Object.keys(servers))
  return readEntry(file, name, entry)
}

/** All entries of a host configuration file, by name. */
export async function readConfigEntries(file: string): Promise<Record<string, ConfigEntry>> {
  const servers = Object.entries(await readServers(file)).filter((pair): pair is [string, JsonObject] =>
    isObject(pair[1]),
  )
  return Object.fromEntries(servers.map(([name, entry]) => [name, readEntry(file, name, entry)]))
}

async function readServers(file: string): Promise<JsonObject> {
  try {
    return findServers(parseConfig(file, await readFile(file, 'utf8')))?.servers ?? {}
  } catch (error) {
    if (isJexoError(error)) throw error
    throw problems.configUnreadable(file, (error as NodeJS.ErrnoException).code ?? String(error))
  }
}

function readEntry(file: string, name: string, entry: JsonObject): ConfigEntry {
  const url = entry.url ?? entry.serverUrl
  if (typeof url === 'string')
    return { url, ...(isObject(entry.headers) ? { headers: stringsOf(entry.headers) } : {}) }
  if (typeof entry.command !== 'string') {
    throw problems.configUnreadable(file, `the entry "${name}" has neither a command nor a url`)
  }
  return {
    command: entry.command,
    args: Array.isArray(entry.args) ? entry.args.map(String) : [],
    ...(isObject(entry.env) ? { env: stringsOf(entry.env) } : {}),
    ...(typeof entry.cwd === 'string' ? { cwd: entry.cwd } : {}),
  }
}

const stringsOf = (value: JsonObject) =>
  Object.fromEntries(Object.entries(value).map(([key, item]) => [key, String(item)]))
