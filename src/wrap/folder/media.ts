import { extname } from 'node:path'
import mimeTypes from 'mime-types'

/** Where a file's text comes from; what has none is given as bytes only. */
export type TextForm = 'markdown' | 'html' | 'table' | 'plain' | 'pdf' | 'none'

const own: Readonly<Record<string, string>> = {
  '.md': 'text/markdown',
  '.mdx': 'text/markdown',
  '.yaml': 'application/yaml',
  '.yml': 'application/yaml',
  '.ts': 'text/typescript',
  '.tsx': 'text/typescript',
  '.jsonl': 'application/jsonl',
  '.ndjson': 'application/jsonl',
  '.log': 'text/plain',
}

/** The MIME type of a file by its name; one without an ending that is known is taken for plain text until it is read. */
export const mimeTypeOf = (path: string): string =>
  own[extname(path).toLowerCase()] ?? (mimeTypes.lookup(path) || 'text/plain')

export function textFormOf(mimeType: string): TextForm {
  if (mimeType === 'text/markdown') return 'markdown'
  if (mimeType === 'text/html' || mimeType === 'application/xhtml+xml') return 'html'
  if (/^text\/(csv|tab-separated-values)$/.test(mimeType)) return 'table'
  if (mimeType === 'application/pdf') return 'pdf'
  const isText =
    mimeType.startsWith('text/') ||
    /^application\/(json|jsonl|yaml|xml|javascript|toml|sql|x-sh|rtf|ecmascript)$|[+](json|xml|yaml)$/.test(
      mimeType,
    ) ||
    mimeType === 'image/svg+xml'
  return isText ? 'plain' : 'none'
}

/** Text of bytes: UTF-8, or what a byte order mark says. `isWhole` is false where some of it could not be read. */
export function decoded(bytes: Uint8Array): { text: string; isWhole: boolean; isBinary: boolean } {
  const mark =
    bytes[0] === 0xff && bytes[1] === 0xfe
      ? 'utf-16le'
      : bytes[0] === 0xfe && bytes[1] === 0xff
        ? 'utf-16be'
        : 'utf-8'
  const isBinary = mark === 'utf-8' && bytes.subarray(0, 8000).includes(0)
  try {
    return { text: new TextDecoder(mark, { fatal: true }).decode(bytes), isWhole: true, isBinary }
  } catch {
    return { text: new TextDecoder(mark).decode(bytes), isWhole: false, isBinary }
  }
}
