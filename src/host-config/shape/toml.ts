import { parse, TomlError } from 'smol-toml'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import { hostConfigErrors } from '../errors.js'
import type { Shape } from './shape.js'

const root = 'mcp_servers'

/** TOML with a table `[mcp_servers.<name>]` for each server. */
export const tomlShape: Shape = {
  takesInputs: false,
  read: (file, text) => {
    const servers = parseToml(file, text)[root]
    return isObject(servers) ? { path: [root], servers } : undefined
  },
  put: (file, text, name, entry) => {
    const eol = text.includes('\r\n') ? '\r\n' : '\n'
    const table = tableOf(name, entry).join(eol)
    const lines = text.split(/\r?\n/)
    const place = linesOf(lines, name)
    const after = place
      ? [
          ...lines.slice(0, place.from),
          ...withComments(lines.slice(place.from, place.to), tableOf(name, entry)),
          ...lines.slice(place.to),
        ].join(eol)
      : `${text.trimEnd()}${text.trim() === '' ? '' : `${eol}${eol}`}${table}${eol}`
    return checked(file, text, after, name, entry)
  },
  remove: (file, text, name) => {
    const eol = text.includes('\r\n') ? '\r\n' : '\n'
    const lines = text.split(/\r?\n/)
    const place = linesOf(lines, name)
    if (!place) return text
    const rest = lines.slice(place.to)
    // The empty line after the table is removed too.
    const after = [
      ...lines.slice(0, startOf(lines, place.from)),
      ...(rest[0]?.trim() === '' ? rest.slice(1) : rest),
    ].join(eol)
    return checked(file, text, after, name, undefined)
  },
}

function parseToml(file: string, text: string): JsonObject {
  try {
    return parse(text) as JsonObject
  } catch (error) {
    if (!(error instanceof TomlError)) throw error
    throw hostConfigErrors.configUnreadable(file, `${error.message.split('\n')[0]} in line ${error.line}`)
  }
}

const header =
  /^\s*\[\s*mcp_servers\s*\.\s*(?:"((?:[^"\\]|\\.)*)"|'([^']*)'|([\w-]+))\s*(?:\.[^\]]*)?\]\s*(?:#.*)?$/

/** The lines of a server's table and its subtables. Comments before the next table belong to that table. */
function linesOf(lines: readonly string[], name: string): { from: number; to: number } | undefined {
  const isOwn = (line: string) => {
    const found = header.exec(line)
    return found !== null && (found[1] ?? found[2] ?? found[3]) === name
  }
  const from = lines.findIndex(isOwn)
  if (from < 0) return undefined
  let to = from + 1
  while (to < lines.length && (isOwn(lines[to] ?? '') || !/^\s*\[/.test(lines[to] ?? ''))) to++
  while (to > from + 1 && /^\s*(#.*)?$/.test(lines[to - 1] ?? '')) to--
  return { from, to }
}

/** Start of the comments directly above a table; comments at the top of the file belong to the file. */
function startOf(lines: readonly string[], table: number): number {
  let from = table
  while (/^\s*#/.test(lines[from - 1] ?? '')) from--
  return from === 0 ? table : from
}

/** The lines of a table, keeping the comments of the lines that they replace. */
function withComments(before: readonly string[], [head = '', ...fields]: readonly string[]): string[] {
  const [first = ''] = before
  const isTable = !/^\s*\[\s*mcp_servers\s*\.[^\]]*\.\s*(env|headers)\s*\]/.test(first)
  return [isTable ? first : head, ...before.slice(1).filter((line) => /^\s*#/.test(line)), ...fields]
}

function tableOf(name: string, entry: JsonObject): string[] {
  const key = /^[\w-]+$/.test(name) ? name : JSON.stringify(name)
  return [`[${root}.${key}]`, ...Object.entries(entry).map(([field, value]) => `${field} = ${written(value)}`)]
}

/** Strings and lists of JSON are valid TOML; a map becomes an inline table. */
function written(value: unknown): string {
  if (!isObject(value)) return JSON.stringify(value)
  const pairs = Object.entries(value).map(([key, item]) => `${JSON.stringify(key)} = ${written(item)}`)
  return `{ ${pairs.join(', ')} }`
}

/** Edits line by line are verified: everything else in the parsed file must be unchanged. */
function checked(file: string, before: string, after: string, name: string, entry: JsonObject | undefined): string {
  const was = parseToml(file, before)
  const refusal = hostConfigErrors.configUnreadable(file, `its ${root} are written in a way that cannot be edited`)
  let is: JsonObject
  try {
    is = parse(after) as JsonObject
  } catch {
    throw refusal
  }
  const servers = isObject(was[root]) ? was[root] : {}
  const { [name]: _, ...others } = servers
  const wanted = { ...was, [root]: entry ? { ...others, [name]: entry } : others }
  if (sorted(wanted) === sorted({ [root]: {}, ...is })) return after
  throw refusal
}

const sorted = (value: unknown): string =>
  JSON.stringify(value, (_, item) =>
    isObject(item) ? Object.fromEntries(Object.entries(item).sort(([a], [b]) => (a < b ? -1 : 1))) : item,
  )
