import { problems } from '../errors.js'
import type { JsonObject } from '../protocol/messages.js'

const mostPages = 1000

/** Reads every page of a list. Rejects where a page is malformed, or where the server's cursors go round for ever. */
export async function readAll<T>(
  ask: (params: JsonObject | undefined) => Promise<JsonObject>,
  method: string,
  field: string,
): Promise<T[]> {
  const items: T[] = []
  const seen = new Set<unknown>()
  let cursor: unknown
  do {
    const page = await ask(cursor === undefined ? undefined : { cursor })
    const found = page[field]
    if (!Array.isArray(found)) throw problems.answerMalformed(method, `"${field}" is not an array`)
    items.push(...(found as T[]))
    cursor = page.nextCursor ?? undefined
    if (seen.has(cursor) || seen.size > mostPages) throw problems.answerMalformed(method, 'its cursors do not end')
    seen.add(cursor)
  } while (cursor !== undefined)
  return items
}
