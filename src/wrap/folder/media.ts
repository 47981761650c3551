import { extname } from 'node:path'
import { analyse } from 'chardet'
import mimeTypes from 'mime-types'

/** Source of a file's text; other files are returned as bytes. */
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

/** The MIME type of a file by its name; unknown endings count as plain text until the file is read. */
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

export interface Decoded {
  readonly text: string
  /** The encoding if it is not UTF-8, such as `windows-1252`. */
  readonly encoding?: string
  /** False if a part could not be decoded. */
  readonly isWhole: boolean
  readonly isBinary: boolean
}

/** Number of bytes that are examined to detect an encoding. */
const maxDetected = 64_000

/** Decodes text: UTF-8, the encoding of a byte order mark, or the most likely encoding of its bytes. */
export function decoded(bytes: Uint8Array): Decoded {
  const mark =
    bytes[0] === 0xff && bytes[1] === 0xfe
      ? 'utf-16le'
      : bytes[0] === 0xfe && bytes[1] === 0xff
        ? 'utf-16be'
        : 'utf-8'
  const isBinary = mark === 'utf-8' && bytes.subarray(0, 8000).includes(0)
  const whole = decodedAs(bytes, mark)
  if (whole !== undefined)
    return { text: whole, isWhole: true, isBinary, ...(mark === 'utf-8' ? {} : { encoding: mark }) }
  for (const { name } of isBinary ? [] : analyse(bytes.subarray(0, maxDetected)).slice(0, 3)) {
    const text = name.startsWith('UTF') ? undefined : decodedAs(bytes, name)
    if (text !== undefined) return { text, isWhole: true, isBinary, encoding: name }
  }
  return { text: new TextDecoder(mark).decode(bytes), isWhole: false, isBinary }
}

/** Undefined if the bytes are not valid in that encoding, or the encoding is not supported. */
function decodedAs(bytes: Uint8Array, encoding: string): string | undefined {
  try {
    return new TextDecoder(encoding, { fatal: true }).decode(bytes)
  } catch {
    return undefined
  }
}
