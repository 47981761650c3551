import { encodedOnce } from '../protocol/encoding.js'
import type { JsonObject } from '../protocol/messages.js'
import type { Revision } from '../protocol/revisions.js'
import type { PartIndex } from './part-index.js'

/** Maximum number of cached pages for one set of parts: clients request each of them, in a few revisions. */
const mostPages = 64

const kept = new WeakMap<PartIndex, Map<string, JsonObject>>()

/**
 * A page of a list of definitions, encoded once for each set of visible parts, revision and cursor. An invalid cursor
 * throws, and is not cached.
 */
export function keptPage(
  index: PartIndex,
  list: string,
  revision: Revision,
  { cursor }: JsonObject,
  make: () => JsonObject,
): JsonObject {
  const pages = kept.get(index) ?? new Map<string, JsonObject>()
  if (pages.size === 0) kept.set(index, pages)
  const key = `${list} ${revision.short} ${cursor === undefined ? 'first' : `after ${JSON.stringify(cursor)}`}`
  const known = pages.get(key)
  if (known) return known
  const page = encodedOnce(make())
  if (pages.size >= mostPages) pages.clear()
  pages.set(key, page)
  return page
}
