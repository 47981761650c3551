import { readFile, realpath, stat } from 'node:fs/promises'
import { basename, resolve, sep } from 'node:path'
import type { JsonSchema } from '../../kit/schema.js'
import { fromBase64 } from '../../protocol/base64.js'
import type { FileGiven } from './multipart.js'
import type { PlannedBody } from './operation.js'
import { Unsendable } from './serialize.js'

/** A file argument: bytes as base64, optionally with a name, or a path below the allowed folder. */
export const fileSchema = (allowsPaths: boolean, about?: string): JsonSchema => ({
  description:
    about ?? (allowsPaths ? 'A file: its bytes as base64, or its path.' : 'A file: its bytes as base64.'),
  anyOf: [
    { type: 'string', contentEncoding: 'base64', description: 'The bytes, as base64' },
    {
      type: 'object',
      properties: {
        base64: { type: 'string', contentEncoding: 'base64', description: 'The bytes, as base64' },
        ...(allowsPaths
          ? { path: { type: 'string', description: 'Path under the folder of files that is allowed' } }
          : {}),
        name: { type: 'string', description: 'File name to send it under' },
        mediaType: { type: 'string', description: 'Such as image/png' },
      },
      ...(allowsPaths ? { oneOf: [{ required: ['base64'] }, { required: ['path'] }] } : { required: ['base64'] }),
      additionalProperties: false,
    },
  ],
})

/** The arguments with their files read. Throws `Unsendable` for files that cannot be read or are outside the folder. */
export async function withFiles(
  body: PlannedBody | undefined,
  given: Readonly<Record<string, unknown>>,
  folder: string | undefined,
  maxBytes: number,
): Promise<Readonly<Record<string, unknown>>> {
  const names = [
    ...(body?.form === 'binary' && body.argument !== undefined ? [body.argument] : []),
    ...(body?.properties ?? []).flatMap(({ argument, isFile }) =>
      isFile && argument !== undefined ? [argument] : [],
    ),
  ]
  const read = { ...given }
  for (const name of names) {
    const value = given[name]
    if (value === undefined) continue
    const one = (item: unknown) =>
      fileOf(name, typeof item === 'string' ? { base64: item } : (item as Wanted), folder, maxBytes)
    read[name] = Array.isArray(value) ? await Promise.all(value.map(one)) : await one(value)
  }
  return read
}

interface Wanted {
  base64?: string
  path?: string
  name?: string
  mediaType?: string
}

async function fileOf(
  argument: string,
  { base64, path, name, mediaType }: Wanted,
  folder: string | undefined,
  maxBytes: number,
): Promise<FileGiven> {
  if (mediaType !== undefined && !mediaTypePattern.test(mediaType))
    throw new Unsendable(argument, 'has a mediaType that is not valid; use one such as image/png')
  const type = mediaType === undefined ? {} : { mediaType }
  if (path === undefined) {
    const bytes = decoded(argument, base64)
    return { bytes, ...(name === undefined ? {} : { name }), ...type }
  }
  if (folder === undefined)
    throw new Unsendable(argument, 'cannot be read from a path here: pass { base64, name, mediaType }')
  const file = await within(argument, folder, path)
  const found = await stat(file)
  if (!found.isFile()) throw new Unsendable(argument, `${JSON.stringify(path)} is not a file`)
  if (found.size > maxBytes)
    throw new Unsendable(argument, `${JSON.stringify(path)} has ${found.size} bytes; the limit is ${maxBytes}`)
  return { bytes: await readFile(file), name: name ?? basename(file), ...type }
}

const token = "[!#$%&'*+.^_`|~0-9A-Za-z-]+"
/** A media type in the syntax of a header (RFC 9110, section 8.3.1). */
const mediaTypePattern = new RegExp(
  `^${token}/${token}(?:[ \\t]*;[ \\t]*${token}=(?:${token}|"[^"\\\\\\r\\n]*"))*$`,
)

function decoded(argument: string, base64: string | undefined): Uint8Array {
  try {
    if (base64 !== undefined) return fromBase64(base64)
  } catch {}
  throw new Unsendable(argument, 'is not base64: pass a base64 string, or { base64, name, mediaType }')
}

/** The real path of a file that is below the folder after resolving links. */
async function within(argument: string, folder: string, path: string): Promise<string> {
  const root = await realpath(folder)
  const file = await realpath(resolve(root, path)).catch(() => undefined)
  if (file?.startsWith(root + sep)) return file
  throw new Unsendable(argument, `there is no ${JSON.stringify(path)} in the allowed folder of files`)
}
