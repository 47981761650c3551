import { constants } from 'node:fs'
import { type FileHandle, open, realpath } from 'node:fs/promises'
import { isAbsolute, join, relative, sep } from 'node:path'
import { Refusal } from '../../kit/refusal.js'
import type { PathFilter } from './rules.js'

/** How often a file is read again if it changes while it is read. */
const mostAttempts = 3

export interface ReadFile {
  readonly bytes: Uint8Array
  readonly modifiedMs: number
}

const absent = (path: string) => new Refusal(`There is no file ${JSON.stringify(path)} here.`)

/**
 * The real path of a file below a folder. Paths that leave it (`..`, absolute paths, links) are reported like missing
 * files.
 */
export async function confined(root: string, path: string, filter: PathFilter): Promise<string> {
  const parts = path.split('/')
  const isPlain = path !== '' && !path.includes('\0') && !path.includes('\\') && !isAbsolute(path)
  if (!isPlain || parts.some((part) => part === '' || part === '.' || part === '..') || !filter.takesFile(path))
    throw absent(path)
  let found: string
  try {
    found = await realpath(join(root, ...parts))
  } catch {
    throw absent(path)
  }
  const within = relative(root, found)
  if (within === '' || within.startsWith(`..${sep}`) || within === '..' || isAbsolute(within)) throw absent(path)
  // A link within the folder must not lead to a hidden file either.
  if (!filter.takesFile(within.split(sep).join('/'))) throw absent(path)
  return found
}

/** The bytes of a file at one moment. Throws a `Refusal` if it is too large, or keeps changing. */
export async function readWhole(place: string, path: string, maxBytes: number): Promise<ReadFile> {
  for (let attempt = 1; ; attempt++) {
    const file = await opened(place, path)
    try {
      const before = await file.stat()
      if (!before.isFile()) throw absent(path)
      if (before.size > maxBytes)
        throw new Refusal(`${path} has ${sizeText(before.size)}, and the limit is ${sizeText(maxBytes)}.`, {
          operatorNote: `${path} is larger than ${maxBytes} bytes; the limit is JEXO_FOLDER_MAX_FILE_BYTES`,
        })
      const bytes = await bytesOf(file, before.size)
      const after = await file.stat()
      if (bytes.length === after.size && after.mtimeMs === before.mtimeMs)
        return { bytes, modifiedMs: after.mtimeMs }
    } finally {
      await file.close()
    }
    if (attempt === mostAttempts) throw new Refusal(`${path} is being written; try again in a moment.`)
  }
}

/** One byte more than its size, so that growth is noticed. */
async function bytesOf(file: FileHandle, size: number): Promise<Uint8Array> {
  const buffer = Buffer.allocUnsafe(size + 1)
  let filled = 0
  while (filled < buffer.length) {
    const { bytesRead } = await file.read(buffer, filled, buffer.length - filled, null)
    if (bytesRead === 0) break
    filled += bytesRead
  }
  return buffer.subarray(0, filled)
}

async function opened(place: string, path: string): Promise<FileHandle> {
  try {
    // Does not follow a link that was created since, and does not block on a pipe.
    return await open(place, constants.O_RDONLY | (constants.O_NOFOLLOW ?? 0) | (constants.O_NONBLOCK ?? 0))
  } catch (error) {
    const { code } = error as { code?: string }
    if (code === 'EACCES' || code === 'EPERM') throw new Refusal(`This server has no permission to read ${path}.`)
    throw absent(path)
  }
}

/** `12 kB`, `2.1 GB`. */
export function sizeText(bytes: number): string {
  const units = ['bytes', 'kB', 'MB', 'GB', 'TB']
  let size = bytes
  let unit = 0
  while (size >= 1000 && unit < units.length - 1) {
    size /= 1000
    unit++
  }
  return `${unit === 0 || size >= 10 ? Math.round(size) : size.toFixed(1)} ${units[unit]}`
}
