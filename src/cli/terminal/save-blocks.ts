import { mkdirSync, statSync, writeFileSync } from 'node:fs'
import { basename, extname, join } from 'node:path'
import { kitErrors } from '../../kit/errors.js'
import type { ContentBlock, ResourceContents } from '../../protocol/types.js'

interface Saved {
  readonly file: string
  readonly bytes: number
}

/**
 * Writes images, audio and the bytes of resources to a folder, or to a file if there is only one. Rejects with a
 * `JexoError` if there is none, or a file exists already.
 */
export async function saveBlocks(
  blocks: readonly (ContentBlock | ResourceContents)[],
  place: string,
): Promise<Saved[]> {
  const found = blocks.flatMap(bytesIn)
  if (found.length === 0)
    throw kitErrors.argumentUnreadable('--output', 'a result with an image, audio or bytes; this one has none')
  const isFolder =
    place.endsWith('/') || statSync(place, { throwIfNoEntry: false })?.isDirectory() === true || found.length > 1
  // Loaded on demand, since its table is large.
  const { default: mimeTypes } = await import('mime-types')
  const taken = new Set<string>()
  return found.map(({ base64, mimeType, name }, at) => {
    const bytes = Buffer.from(base64, 'base64')
    // Several blocks of one result may have the same name.
    const own =
      name === undefined || taken.has(name)
        ? `${kindOf(mimeType)}-${at + 1}${endingOf(mimeTypes.extension(mimeType))}`
        : name
    taken.add(own)
    const file = isFolder ? join(place, own) : place
    try {
      if (isFolder) mkdirSync(place, { recursive: true })
      writeFileSync(file, bytes, { flag: 'wx' })
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException
      throw kitErrors.argumentUnreadable(
        `--output ${file}`,
        code === 'EEXIST' ? 'a file that does not exist yet' : `a file or folder that can be written (${code})`,
      )
    }
    return { file, bytes: bytes.length }
  })
}

/** The message about a saved file: `saved photos/image-1.png (12 kB)`. */
export const savedText = ({ file, bytes }: Saved): string =>
  `saved ${file} (${bytes < 2048 ? `${bytes} bytes` : `${(bytes / 1024).toFixed(1)} kB`})`

function bytesIn(block: ContentBlock | ResourceContents): { base64: string; mimeType: string; name?: string }[] {
  if (!('type' in block)) return ofResource(block)
  if (block.type === 'image' || block.type === 'audio') return [{ base64: block.data, mimeType: block.mimeType }]
  return block.type === 'resource' ? ofResource(block.resource) : []
}

/** Names come from the server: only the last segment, and only plain characters of it, are used. */
function ofResource({ uri, blob, mimeType = 'application/octet-stream' }: ResourceContents) {
  if (blob === undefined) return []
  const last = basename(uri.replace(/[?#].*$/, ''))
    .replace(/[^\w.-]+/g, '_')
    .replace(/^\.+/, '')
  return [{ base64: blob, mimeType, ...(extname(last) === '' ? {} : { name: last.slice(-100) }) }]
}

const kindOf = (mimeType: string): string => /^(image|audio|video)\//.exec(mimeType)?.[1] ?? 'bytes'
const endingOf = (ending: string | false): string => (ending ? `.${ending}` : '.bin')
