import { readFile } from 'node:fs/promises'
import { basename } from 'node:path'
import { problems } from '../../errors.js'
import { wrapRegistry } from '../registry.js'
import { commandsIn } from './find-commands.js'
import { requestsInHar } from './har.js'
import { requestsInHttpFile } from './http-file.js'
import type { RecordedRequests } from './recorded.js'

const maxBytes = 64_000_000

/** Reads the requests of a file: a HAR recording (`.har`), an `.http` or `.rest` file, or any text with curl command lines. */
export async function readRequests(file: string): Promise<RecordedRequests> {
  const bytes = await readFile(file).catch((error: NodeJS.ErrnoException) => {
    throw error.code === 'ENOENT' ? problems.sourceMissing(file) : problems.sourceUnreadable(file, error.message)
  })
  wrapRegistry().onSource?.(file)
  if (bytes.length > maxBytes) throw problems.sourceUnreadable(file, `it has more than ${maxBytes / 1e6} MB`)
  const found = requestsIn(bytes.toString().replace(/^\ufeff/, ''), basename(file))
  if (found.requests.length === 0 && found.unread.length === 0)
    throw problems.sourceUnreadable(
      file,
      'there is no curl command line, no request of an .http file and no HAR entry in it',
    )
  return found
}

/** The same for a text at hand; the name says what it is, by its ending. */
export function requestsIn(text: string, name: string): RecordedRequests {
  if (/\.har$/i.test(name)) return requestsInHar(text, name)
  return /\.(http|rest)$/i.test(name) ? requestsInHttpFile(text, name) : commandsIn(text, name)
}
