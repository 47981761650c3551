import { fromBase64Url, toBase64Url } from '../protocol/base64.js'
import type { JsonObject } from '../protocol/messages.js'
import { rpcErrors } from '../protocol/rpc-error.js'

/** Position of an entry in a list. Positions are never reused, so that cursors survive changes of the list. */
export interface Position {
  place: number
  /** Position within an entry that stands for many, such as a template's resources. */
  offset: number
}
export interface Placed<T> extends Position {
  value: T
}

const start: Position = { place: -1, offset: 0 }

/** Parses an opaque cursor of one list. Throws -32602 for anything that this list cannot have issued (Pagination). */
function readCursor(list: string, params: JsonObject, latestPlace: number): Position {
  const { cursor } = params
  if (cursor === undefined) return start
  const found =
    typeof cursor === 'string' ? /^([a-z]+):(\d{1,9}):(\d{1,9})$/.exec(fromBase64Url(cursor) ?? '') : null
  if (!found || found[1] !== list || Number(found[2]) > latestPlace || cursor !== cursorText(list, found)) {
    throw rpcErrors.invalidParams(
      `the cursor ${JSON.stringify(cursor)} is not valid for this list; start without a cursor`,
    )
  }
  return { place: Number(found[2]), offset: Number(found[3]) }
}

const writeCursor = (list: string, at: Position): string => toBase64Url(`${list}:${at.place}:${at.offset}`)

const cursorText = (list: string, found: RegExpExecArray) =>
  writeCursor(list, { place: Number(found[2]), offset: Number(found[3]) })

/** One page of an ordered list: the entries after the cursor, and the cursor for the next page. */
export function paginate<T>(
  list: string,
  entries: readonly Placed<T>[],
  params: JsonObject,
  latestPlace: number,
  pageSize: number,
): { items: T[]; nextCursor?: string } {
  const after = readCursor(list, params, latestPlace)
  const first = entries.findIndex((entry) => entry.place > after.place || isFurther(entry, after))
  if (first < 0) return { items: [] }
  const page = entries.slice(first, first + pageSize)
  const items = page.map((entry) => entry.value)
  const last = page.at(-1)
  return last && first + pageSize < entries.length ? { items, nextCursor: writeCursor(list, last) } : { items }
}

const isFurther = (entry: Position, after: Position) => entry.place === after.place && entry.offset > after.offset
