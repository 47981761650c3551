import { brotliCompressSync, brotliDecompressSync, constants } from 'node:zlib'
import { cacheFolder, cacheKey, readCached, writeCached } from '../files/user-cache.js'

const textual = { params: { [constants.BROTLI_PARAM_MODE]: constants.BROTLI_MODE_TEXT } }

/**
 * Compresses a text with Brotli. That takes more than a second per megabyte, so the result is kept in the user's cache.
 */
export function compressed(text: string): Buffer {
  const folder = cacheFolder('compressed')
  const name = `${cacheKey(process.versions.brotli ?? '', text)}.br`
  const kept = readCached(folder, name)
  if (kept && isCompressed(kept, text)) return kept
  const made = brotliCompressSync(text, textual)
  writeCached(folder, name, made)
  return made
}

/** True if it decompresses to the text, so that nothing written into the cache by others can get into a packed file. */
function isCompressed(kept: Buffer, text: string): boolean {
  try {
    const wanted = Buffer.from(text)
    return brotliDecompressSync(kept, { maxOutputLength: wanted.length + 1 }).equals(wanted)
  } catch {
    return false
  }
}
