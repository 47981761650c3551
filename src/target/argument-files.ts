import { readFileSync, statSync } from 'node:fs'
import { text as textOf } from 'node:stream/consumers'
import type { JsonSchema } from '../kit/schema.js'
import { targetErrors } from './errors.js'

/** Maximum size of a file argument, in bytes. */
const maxBytes = 50_000_000

/**
 * The value of `@file` for a property: base64 if the schema expects bytes, else the text; `@@` stands for an at sign.
 * Undefined for other text. Throws a `JexoError` if there is no such file.
 */
export function fileArgument(schema: JsonSchema, text: string): { text: string } | { value: unknown } | undefined {
  if (text.startsWith('@@')) return { text: text.slice(1) }
  if (!text.startsWith('@') || text.length === 1) return undefined
  const bytes = bytesOf(text.slice(1))
  if (schema.contentEncoding === 'base64') return { value: bytes.toString('base64') }
  return { text: bytes.toString('utf8') }
}

/** Value of `--args`: JSON, `@file`, or `-` for standard input. */
export async function argumentsText(given: string): Promise<string> {
  if (given === '-') return textOf(process.stdin)
  return given.startsWith('@') ? bytesOf(given.slice(1)).toString('utf8') : given
}

function bytesOf(file: string): Buffer {
  const found = statSync(file, { throwIfNoEntry: false })
  if (!found?.isFile()) throw targetErrors.argumentFileMissing(file)
  if (found.size > maxBytes) throw targetErrors.argumentFileLarge(file, maxBytes)
  return readFileSync(file)
}
