import { protocolErrors } from '../protocol/errors.js'
import type { JsonObject } from '../protocol/messages.js'

const mostPages = 1000
const mostItems = 100_000
const mostCharacters = 64_000_000

type Ask = (params: JsonObject | undefined) => Promise<JsonObject>

/** Complete lists, cached until the server reports a change; not cached if the server does not announce changes. */
export class KeptLists {
  readonly #kept = new Map<string, Promise<unknown[]>>()

  read<T>(ask: Ask, method: string, field: string, mayKeep: boolean): Promise<T[]> {
    const known = this.#kept.get(method) as Promise<T[]> | undefined
    if (known) return known.then((list) => [...list])
    const read = readAll<T>(ask, method, field)
    if (mayKeep) {
      this.#kept.set(method, read)
      read.catch(() => this.#kept.delete(method))
    }
    return read.then((list) => [...list])
  }

  /** Invalidates these cached lists, or all. */
  forget(methods: readonly string[] = [...this.#kept.keys()]): void {
    for (const method of methods) this.#kept.delete(method)
  }
}

/** Reads every page of a list. Rejects if a page is malformed, or if the cursors repeat. */
async function readAll<T>(ask: Ask, method: string, field: string): Promise<T[]> {
  const items: T[] = []
  const seen = new Set<unknown>()
  let cursor: unknown
  let characters = 0
  do {
    const page = await ask(cursor === undefined ? undefined : { cursor })
    const found = page[field]
    if (!Array.isArray(found)) throw protocolErrors.responseMalformed(method, `"${field}" is not an array`)
    for (const item of found) items.push(item as T)
    // The first page may be as large as one message; later pages must stay within a total limit.
    if (cursor !== undefined) characters += JSON.stringify(found).length
    if (items.length > mostItems || characters > mostCharacters)
      throw protocolErrors.responseMalformed(
        method,
        `it has more than ${mostItems} entries or ${mostCharacters} characters`,
      )
    cursor = page.nextCursor ?? undefined
    if (seen.has(cursor) || seen.size > mostPages)
      throw protocolErrors.responseMalformed(method, 'its cursors never end')
    seen.add(cursor)
  } while (cursor !== undefined)
  return items
}
