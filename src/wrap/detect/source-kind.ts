import { closeSync, existsSync, openSync, readSync, statSync } from 'node:fs'
import { resolve } from 'node:path'
import { kitErrors } from '../../kit/errors.js'
import { isFeedAddress } from '../feed/sources/at-address.js'
import { moduleErrors } from '../module/errors.js'
import { packageEntry } from '../module/package-entry.js'
import { isSqlAddress } from '../sql/address.js'
import { detectErrors } from './errors.js'

export const wrapKinds = [
  'module',
  'openapi',
  'curl',
  'graphql',
  'sql',
  'folder',
  'feed',
  'server',
  'command',
  'process',
] as const
export type WrapKind = (typeof wrapKinds)[number]

/** The kind of wrap for a source as typed, and its absolute path or URL. */
export interface KnownSource {
  readonly kind: WrapKind
  readonly source: string
}

/**
 * Determines the kind of a source: by its ending, by the beginning of its text, or because it is a URL or the name of a
 * package. Throws a `JexoError`.
 */
export function knownSource(given: string, kind?: string): KnownSource {
  if (kind !== undefined && !isKind(kind))
    throw kitErrors.argumentUnreadable(`--kind ${kind}`, wrapKinds.join(', '))
  if (given.startsWith('command:') || kind === 'command')
    return { kind: 'command', source: given.startsWith('command:') ? given : resolve(given) }
  if (given.startsWith('process:')) return { kind: 'process', source: given }
  if (given.startsWith('exec:')) return { kind: 'server', source: given }
  if (/^https?:\/\//.test(given)) return { kind: kind ?? (isEndpoint(given) ? 'server' : 'openapi'), source: given }
  if (isSqlAddress(given)) return { kind: kind ?? 'sql', source: given }
  if (isFeedAddress(given)) return { kind: kind ?? 'feed', source: given }
  const [, file = '', entry] = /^(.+)#([^#]+)$/.exec(given) ?? []
  if (kind === 'server' || (entry !== undefined && existsSync(file) && statSync(file).isFile()))
    return { kind: 'server', source: given }
  const path = resolve(given)
  if (existsSync(path) && statSync(path).isDirectory()) return { kind: kind ?? 'folder', source: path }
  if (existsSync(path) && statSync(path).isFile()) {
    const found = kind ?? kindOfFile(path)
    if (found === undefined) throw detectErrors.sourceUnknownKind(given, wrapKinds)
    return { kind: found, source: path }
  }
  const packaged = /^(@[\w.-]+\/)?[\w.-]+(\/[\w.-]+)*$/.test(given) ? packageEntry(given) : undefined
  if (packaged === undefined) throw moduleErrors.sourceMissing(given)
  return { kind: 'module', source: packaged }
}

/** Common paths of endpoints; for others, use `--kind server`. */
const isEndpoint = (url: string) => URL.canParse(url) && /\/(mcp|sse)\/?$/.test(new URL(url).pathname)

const isKind = (text: string): text is WrapKind => (wrapKinds as readonly string[]).includes(text)

function kindOfFile(path: string): WrapKind | undefined {
  if (/\.commands\.ya?ml$/i.test(path)) return 'command'
  if (/\.[cm]?[jt]sx?$/i.test(path)) return 'module'
  if (/\.(har|http|rest|md|markdown|sh|bash|curl)$/i.test(path)) return 'curl'
  if (/\.(ndjson|jsonl)$/i.test(path) && !/\.(tape|tokens)\.jsonl$/i.test(path)) return 'feed'
  if (/\.(graphqls?|gql|sdl)$/i.test(path)) return 'graphql'
  if (/\.(sqlite3?|db3?)$/i.test(path)) return 'sql'
  const start = startOf(path)
  if (start.startsWith('SQLite format 3\0')) return 'sql'
  if (/"__schema"\s*:/.test(start)) return 'graphql'
  if (/["']?(openapi|swagger)["']?\s*:/.test(start)) return 'openapi'
  if (/(^|\s)curl\s/.test(start)) return 'curl'
  return /\.(ya?ml|json)$/i.test(path) ? 'openapi' : undefined
}

function startOf(path: string): string {
  const file = openSync(path, 'r')
  try {
    const buffer = Buffer.alloc(20_000)
    return buffer.subarray(0, readSync(file, buffer)).toString()
  } finally {
    closeSync(file)
  }
}
