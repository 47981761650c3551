import { brotliCompressSync, brotliDecompressSync, constants } from 'node:zlib'
import { cacheFolder, cacheKey, readCached, writeCached } from '../files/user-cache.js'

const textual = { params: { [constants.BROTLI_PARAM_MODE]: constants.BROTLI_MODE_TEXT } }

/** Brotli of a text. It takes more than a second for a megabyte, so it is kept in the user's cache. */
export function compressed(text: string): Buffer {
  const folder = cacheFolder('compressed')
  const name = `${cacheKey(process.versions.brotli ?? '', text)}.br`
  const kept = readCached(folder, name)
  if (kept && isCompressed(kept, text)) return kept
  const made = brotliCompressSync(text, textual)
  writeCached(folder, name, made)
  return made
}

/** Whether it still gives the text: what others could have written into the cache must not get into a packed file. */
function isCompressed(kept: Buffer, text: string): boolean {
  try {
    const wanted = Buffer.from(text)
    return brotliDecompressSync(kept, { maxOutputLength: wanted.length + 1 }).equals(wanted)
  } catch {
    return false
  }
}
