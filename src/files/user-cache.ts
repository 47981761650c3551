import { createHash } from 'node:crypto'
import {
  closeSync,
  constants,
  fstatSync,
  lstatSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs'
import { homedir } from 'node:os'
import { isAbsolute, join } from 'node:path'

/** Maximum number of files in one folder of the cache, unless a caller states another; the oldest are removed. */
const mostKept = 200

/**
 * A folder in this user's cache: `cacheFolder('readings')`. Undefined if others can write to it, such as if
 * `XDG_CACHE_HOME` is shared.
 */
export function cacheFolder(kind: string): string | undefined {
  const given = process.env.XDG_CACHE_HOME ?? ''
  const own = join(isAbsolute(given) ? given : join(homedir(), '.cache'), 'jexo')
  const folder = join(own, kind)
  return isPrivate(own) && isPrivate(folder) ? folder : undefined
}

/** True for a folder that only this user can write to, or that does not exist yet. */
function isPrivate(folder: string): boolean {
  try {
    const { uid, mode } = lstatSync(folder)
    const user = process.getuid?.()
    return user === undefined || (uid === user && (mode & 0o022) === 0)
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'ENOENT'
  }
}

/** A file name for the cache that depends on all inputs. */
export const cacheKey = (...inputs: (string | Uint8Array)[]): string => {
  const hash = createHash('sha256')
  for (const input of inputs) hash.update(`${input.length}:`).update(input)
  return hash.digest('hex').slice(0, 32)
}

/** The content of a cached file; undefined if there is none. */
export function readCached(folder: string | undefined, name: string): Buffer | undefined {
  if (folder === undefined) return undefined
  try {
    return readFileSync(join(folder, name))
  } catch {
    return undefined
  }
}

/** Follows no link, and does not wait for a writer of a pipe. Windows has neither flag. */
const readOnly = constants.O_RDONLY | (constants.O_NOFOLLOW ?? 0) | (constants.O_NONBLOCK ?? 0)

/**
 * The content of a cached file that is run as code: only from a regular file that belongs to this user, and that others
 * cannot write to; else undefined. The folder alone is not enough, since it could be replaced after it was checked.
 */
export function readOwnCached(folder: string | undefined, name: string): Buffer | undefined {
  if (folder === undefined) return undefined
  let file: number | undefined
  try {
    file = openSync(join(folder, name), readOnly)
    const found = fstatSync(file)
    const user = process.getuid?.()
    const isOwn = user === undefined || (found.uid === user && (found.mode & 0o022) === 0)
    return isOwn && found.isFile() ? readFileSync(file) : undefined
  } catch {
    return undefined
  } finally {
    if (file !== undefined) closeSync(file)
  }
}

/** Writes a file into a cache. Errors are ignored, since a missing entry only costs time. */
export function writeCached(
  folder: string | undefined,
  name: string,
  content: string | Uint8Array,
  most = mostKept,
): void {
  if (folder === undefined) return
  try {
    mkdirSync(folder, { recursive: true, mode: 0o700 })
    const draft = join(folder, `${name}.${process.pid}`)
    writeFileSync(draft, content, { mode: 0o600 })
    renameSync(draft, join(folder, name))
    removeOldest(folder, most)
  } catch {}
}

/** A JSON value from the cache; computed and written if it is missing or not of the right shape. */
export function cachedValue<T>(
  folder: string | undefined,
  name: string,
  isUsable: (value: unknown) => value is T,
  compute: () => T,
): T {
  const known = parsed(readCached(folder, name))
  if (isUsable(known)) return known
  const value = compute()
  writeCached(folder, name, JSON.stringify(value))
  return value
}

function parsed(content: Buffer | undefined): unknown {
  try {
    return JSON.parse(content?.toString() ?? '')
  } catch {
    return undefined
  }
}

function removeOldest(folder: string, most: number): void {
  const names = readdirSync(folder)
  if (names.length <= most) return
  const byAge = names
    .map((name) => ({ path: join(folder, name), at: statSync(join(folder, name)).mtimeMs }))
    .sort((one, other) => one.at - other.at)
  for (const { path } of byAge.slice(0, names.length - most)) rmSync(path, { force: true })
}
