import { lstat, readFile, readlink, stat } from 'node:fs/promises'
import { dirname, resolve } from 'node:path'
import { createTwoFilesPatch } from 'diff'
import { replaceFile } from '../files/replace-file.js'
import { hostConfigErrors } from '../host-config/errors.js'
import type { HostInput, Shape, ShapeName } from '../host-config/shape/shape.js'
import { shapeOf } from '../host-config/shape/shape-of.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import type { Attachable, HostEntry, NeededSecret } from './entry.js'
import { attachErrors } from './errors.js'

/** A planned change of a file. */
export interface Change {
  file: string
  /** Keys that lead to the entry. */
  path: readonly string[]
  did: 'added' | 'updated' | 'removed' | 'is already present' | 'is not present'
  /** The change as a line diff; empty if there is none. */
  difference: string
  before: string | undefined
  after: string
  /** The host asks a user for the secrets. */
  asksForSecrets?: boolean
}
export interface ChangeOptions {
  shape?: ShapeName
  /** Replaces an entry of another server with the same name. */
  mayReplace?: boolean
  /**
   * Required secrets: written by reference if the shape supports that; otherwise variables are left out, and headers
   * are refused.
   */
  secrets?: readonly NeededSecret[]
  /** Writes the values of the given secrets. */
  mayWriteSecrets?: boolean
}

/**
 * Plans the change of a host's configuration for an entry: comments, order and other entries stay. Rejects with a
 * `JexoError` if the file cannot be read, or the name belongs to another server.
 */
export async function planEntry(
  file: string,
  name: string,
  entry: HostEntry,
  { shape: asked, mayReplace = false, secrets = [], mayWriteSecrets = false }: ChangeOptions = {},
): Promise<Change> {
  const before = await readIfThere(file)
  if (before === undefined) await needFolder(file)
  const text = before ?? ''
  const shape = shapeOf(file, text, asked)
  const map = shape.read(file, text) ?? { path: asked === 'servers' ? ['servers'] : [], servers: {} }
  const known = Object.hasOwn(map.servers, name) ? map.servers[name] : undefined
  const header = secrets.find((secret) => secret.header !== undefined && 'url' in entry)
  if (header?.header !== undefined && !mayWriteSecrets && !hasInputs(shape, map.path))
    throw attachErrors.secretHeader(file, header.header)
  const { wanted, inputs } = asWritten(shape, map.path, entry, secrets, mayWriteSecrets)
  const isSame = JSON.stringify(known) === JSON.stringify(wanted)
  if (isObject(known) && !isSame && !mayReplace && !isSameServer(known, entry))
    throw attachErrors.configEntryTaken(file, name)
  const after = isSame ? text : shape.put(file, text, name, wanted, inputs)
  const path = [...(shape.read(file, after)?.path ?? []), name]
  const did = isSame ? 'is already present' : known === undefined ? 'added' : 'updated'
  return {
    file,
    path,
    did,
    before,
    after,
    difference: differenceOf(file, text, after),
    asksForSecrets: inputs.length > 0,
  }
}

/** The text of a file that contains only the entry. */
export function textOf(name: ShapeName, entryName: string, { entry, secrets }: Attachable): string {
  const shape = shapeOf('', '', name)
  const { wanted, inputs } = asWritten(shape, [name], withPlaces(entry, secrets), secrets)
  return shape.put('', '', entryName, wanted, inputs)
}

/** The printed text has placeholders instead of secrets. */
function withPlaces(entry: HostEntry, secrets: readonly NeededSecret[]): HostEntry {
  if (!('url' in entry)) return entry
  const places = secrets.flatMap(({ header }) => (header === undefined ? [] : [[header, `<${header}>`]]))
  return { ...entry, ...(entry.headers ? { headers: { ...entry.headers, ...Object.fromEntries(places) } } : {}) }
}

/** Plans the removal of an entry from a host's configuration. */
export async function planRemoval(
  file: string,
  name: string,
  { shape: asked }: ChangeOptions = {},
): Promise<Change> {
  const before = await readIfThere(file)
  const text = before ?? ''
  const shape = shapeOf(file, text, asked)
  const map = shape.read(file, text)
  const isThere = map !== undefined && Object.hasOwn(map.servers, name)
  const after = isThere ? shape.remove(file, text, name) : text
  const path = [...(map?.path ?? []), name]
  return {
    file,
    path,
    did: isThere ? 'removed' : 'is not present',
    before,
    after,
    difference: differenceOf(file, text, after),
  }
}

/**
 * Applies a change atomically; the previous file is kept as a backup. A link is followed to its file; mode and owner
 * stay. Returns the path of the backup, undefined if there was no file.
 */
export async function carryOut({ file, before, after }: Change): Promise<string | undefined> {
  if (before === after) return undefined
  try {
    const target = await linkedFile(file)
    const known = before === undefined ? undefined : await stat(target)
    const first = `${target}.before-jexo`
    // The first backup is the file before any change, and is kept; the other one is replaced at each change.
    const isTaken = (await lstat(first).catch(() => undefined))?.isFile() === true
    const backup = before === undefined ? undefined : isTaken ? `${first}-last` : first
    if (backup !== undefined) await replaceFile(backup, before ?? '', known)
    await replaceFile(target, after, known)
    return backup
  } catch (error) {
    throw attachErrors.configUnwritable(file, (error as NodeJS.ErrnoException).code ?? String(error))
  }
}

/** The file that a path resolves to through links, whether or not it exists. */
async function linkedFile(file: string): Promise<string> {
  let at = file
  for (let steps = 0; steps < 20; steps++) {
    const next = await readlink(at).catch(() => undefined)
    if (next === undefined) return at
    at = resolve(dirname(at), next)
  }
  throw Object.assign(new Error('too many links'), { code: 'ELOOP' })
}

async function needFolder(file: string): Promise<void> {
  const folder = dirname(await linkedFile(file))
  const found = await stat(folder).catch(() => undefined)
  if (!found?.isDirectory()) throw attachErrors.folderMissing(file, folder)
}

async function readIfThere(file: string): Promise<string | undefined> {
  try {
    return await readFile(file, 'utf8')
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return undefined
    throw hostConfigErrors.configUnreadable(file, (error as NodeJS.ErrnoException).code ?? String(error))
  }
}

/** True if entries refer to values that the host asks the user for. */
const hasInputs = (shape: Shape, path: readonly string[]) => path.at(-1) === 'servers' && shape.takesInputs

/** The entry in the format of a map: in one called `servers`, each entry has a `type`, and secrets are inputs. */
function asWritten(
  shape: Shape,
  path: readonly string[],
  entry: HostEntry,
  secrets: readonly NeededSecret[],
  mayWriteSecrets = false,
): { wanted: JsonObject; inputs: HostInput[] } {
  const isServers = path.at(-1) === 'servers'
  const type = isServers ? { type: 'url' in entry ? 'http' : 'stdio' } : {}
  if (mayWriteSecrets || !hasInputs(shape, path) || secrets.length === 0)
    return { wanted: { ...type, ...(mayWriteSecrets ? withValues(entry, secrets) : entry) }, inputs: [] }
  const references = Object.fromEntries(
    secrets.map(({ name, header }) => ['url' in entry ? (header ?? name) : name, `\${input:${name}}`]),
  )
  const wanted =
    'url' in entry
      ? { ...type, ...entry, headers: { ...entry.headers, ...references } }
      : { ...type, ...entry, env: { ...entry.env, ...references } }
  return { wanted, inputs: secrets.map(({ name, about }) => ({ id: name, description: about })) }
}

/** The entry with the known values of its secrets. */
export function withValues(entry: HostEntry, secrets: readonly NeededSecret[]): HostEntry {
  if ('url' in entry) return entry
  const values = secrets.flatMap(({ name, value = process.env[name] }) => (value ? [[name, value]] : []))
  return values.length === 0 ? entry : { ...entry, env: { ...entry.env, ...Object.fromEntries(values) } }
}

/** True if the existing entry starts the same kit or has the same URL, so that it can be updated. */
function isSameServer(known: Readonly<Record<string, unknown>>, entry: HostEntry): boolean {
  if ('url' in entry) return known.url === entry.url
  if (!Array.isArray(known.args)) return false
  // A relay is compared by the server behind it.
  const subject = (args: readonly unknown[]) => (args[1] === 'serve' || args[1] === 'relay' ? args[2] : args.at(-1))
  return subject(known.args) === subject(entry.args)
}

function differenceOf(file: string, before: string, after: string): string {
  if (before === after) return ''
  const patch = createTwoFilesPatch(file, file, before, after, '', '', { context: 2 })
  return patch.split('\n').slice(3).join('\n')
}
