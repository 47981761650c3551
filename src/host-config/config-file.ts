import { readFile } from 'node:fs/promises'
import { isObject, type JsonObject } from '../protocol/messages.js'
import type { ChildCommand } from '../transport/child-wire.js'
import { hostConfigErrors } from './errors.js'

/** An entry of a host's configuration: a command to start, or a URL. */
export type ConfigEntry = ChildCommand | { url: string; headers?: Readonly<Record<string, string>> }

/** One entry of a host configuration file, of any shape. Rejects with a `JexoError` that names the existing entries. */
export async function readConfigEntry(file: string, name: string): Promise<ConfigEntry> {
  const servers = await readServers(file)
  const entry = Object.hasOwn(servers, name) ? servers[name] : undefined
  if (!isObject(entry)) throw hostConfigErrors.configEntryMissing(file, name, Object.keys(servers))
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
  let text: string
  try {
    text = await readFile(file, 'utf8')
  } catch (error) {
    throw hostConfigErrors.configUnreadable(file, (error as NodeJS.ErrnoException).code ?? String(error))
  }
  // The three parsers are loaded when they are needed; few commands need them.
  const { shapeOf } = await import('./shape/shape-of.js')
  return shapeOf(file, text).read(file, text)?.servers ?? {}
}

function readEntry(file: string, name: string, entry: JsonObject): ConfigEntry {
  const url = entry.url ?? entry.serverUrl
  if (typeof url === 'string')
    return { url, ...(isObject(entry.headers) ? { headers: stringsOf(entry.headers) } : {}) }
  if (typeof entry.command !== 'string') {
    throw hostConfigErrors.configUnreadable(file, `the entry "${name}" has neither a command nor a url`)
  }
  return {
    command: entry.command,
    args: Array.isArray(entry.args) ? entry.args.map(String) : [],
    ...(isObject(entry.env) ? { env: stringsOf(entry.env) } : {}),
    ...(typeof entry.cwd === 'string' ? { cwd: entry.cwd } : {}),
  }
}

/**
 * Values of a map as texts. `${env:NAME}` refers to a variable of the host, `${input:NAME}` to a value that the host asks the user for. Both are read from the environment here.
 */
export const stringsOf = (value: Readonly<Record<string, unknown>>): Record<string, string> =>
  Object.fromEntries(
    Object.entries(value).map(([key, item]) => [
      key,
      String(item).replace(/\$\{(?:env|input):([^}]+)\}/g, (_, name: string) => process.env[name] ?? ''),
    ]),
  )
