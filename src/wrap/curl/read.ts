import { readFile } from 'node:fs/promises'
import { basename } from 'node:path'
import { moduleErrors } from '../module/errors.js'
import { wrapRegistry } from '../source/registry.js'
import { commandsIn } from './find-commands.js'
import { requestsInHar } from './har.js'
import { requestsInHttpFile } from './http-file.js'
import type { RecordedRequest, RecordedRequests } from './recorded.js'

const maxBytes = 64_000_000

/** Reads the requests of a file: a HAR recording (`.har`), an `.http` or `.rest` file, or any text with curl command lines. */
export async function readRequests(file: string): Promise<RecordedRequests> {
  const bytes = await readFile(file).catch((error: NodeJS.ErrnoException) => {
    throw error.code === 'ENOENT'
      ? moduleErrors.sourceMissing(file)
      : moduleErrors.sourceUnreadable(file, error.message)
  })
  wrapRegistry().onSource?.(file)
  if (bytes.length > maxBytes) throw moduleErrors.sourceUnreadable(file, `it has more than ${maxBytes / 1e6} MB`)
  const found = requestsIn(bytes.toString().replace(/^\ufeff/, ''), basename(file))
  if (found.requests.length === 0 && found.unread.length === 0)
    throw moduleErrors.sourceUnreadable(
      file,
      'there is no curl command line, no request of an .http file and no HAR entry in it',
    )
  return found
}

/** The same for a text in memory; the ending of the name determines its format. */
export function requestsIn(text: string, name: string): RecordedRequests {
  const { requests, unread } = /\.har$/i.test(name)
    ? requestsInHar(text, name)
    : /\.(http|rest)$/i.test(name)
      ? requestsInHttpFile(text, name)
      : commandsIn(text, name)
  const tooLarge = requests.flatMap((request) => {
    const reason = excessOf(request)
    return reason === undefined ? [] : [{ where: request.where, reason }]
  })
  return tooLarge.length === 0
    ? { requests, unread }
    : { requests: requests.filter((request) => excessOf(request) === undefined), unread: [...unread, ...tooLarge] }
}

/** Why a request is too complex for a tool; undefined for nearly all. */
function excessOf({ url, headers }: RecordedRequest): string | undefined {
  if (url.length > 8192) return 'its address is longer than 8192 characters'
  if (url.split('/').length > 100) return 'its path has more than 100 segments'
  if (url.split('&').length > 500) return 'its query has more than 500 values'
  return headers.length > 200 ? 'it has more than 200 headers' : undefined
}
