import { randomUUID } from 'node:crypto'
import type { BodyProperty } from './operation.js'
import { textOf } from './serialize.js'

/** A file argument with its content. */
export interface FileGiven {
  readonly bytes: Uint8Array
  readonly name?: string
  readonly mediaType?: string
}

/** A `multipart/form-data` body (RFC 7578): one part for each value, lists part by part. */
export function multipartBody(values: readonly { property: BodyProperty; value: unknown }[]): {
  bytes: Uint8Array
  mediaType: string
} {
  const boundary = `jexo-${randomUUID()}`
  const pieces = values.flatMap(({ property, value }) =>
    (Array.isArray(value) ? value : [value]).map((item) => partOf(boundary, property, item)),
  )
  return {
    bytes: Buffer.concat([...pieces, Buffer.from(`--${boundary}--\r\n`)]),
    mediaType: `multipart/form-data; boundary=${boundary}`,
  }
}

function partOf(boundary: string, { path, mediaType, fileName }: BodyProperty, value: unknown): Buffer {
  const file = isFile(value) ? value : undefined
  const type =
    file?.mediaType ??
    mediaType ??
    (file ? 'application/octet-stream' : typeof value === 'object' ? 'application/json' : undefined)
  const head = [
    `--${boundary}`,
    `content-disposition: form-data; name="${quoted(String(path[0]))}"${file ? `; filename="${quoted(file.name ?? fileName ?? 'file')}"` : ''}`,
    ...(type === undefined ? [] : [`content-type: ${type.replace(/[\r\n]/g, ' ')}`]),
    '\r\n',
  ]
  return Buffer.concat([
    Buffer.from(head.join('\r\n')),
    file ? file.bytes : Buffer.from(textOf(value)),
    Buffer.from('\r\n'),
  ])
}

const isFile = (value: unknown): value is FileGiven =>
  typeof value === 'object' && value !== null && (value as FileGiven).bytes instanceof Uint8Array
/** Names are escaped as browsers do: quotes and line breaks are percent-encoded. */
const quoted = (text: string) =>
  text.replace(/["\r\n]/g, (char) => `%${char.charCodeAt(0).toString(16).toUpperCase().padStart(2, '0')}`)
