import { isObject } from '../protocol/messages.js'
import { maskedHeaders } from '../protocol/secrets.js'
import { type MessageSummary, summaryOf } from '../score/words.js'
import type { TapeEntry } from '../tape/entry.js'

/**
 * An entry for the page: of a large message, only what the score shows; the rest is fetched when the entry is opened.
 */
export type SlimEntry = TapeEntry & { isCut?: true; summary?: MessageSummary }

/** Messages up to this size are sent whole. */
export const wholeUpToBytes = 16 * 1024
const mostCharacters = 400
const mostItems = 12

/** An entry for the page, without credentials in headers. */
export function slimmed(entry: SlimEntry): SlimEntry {
  if (entry.kind === 'http') {
    const { requestHeaders, responseHeaders } = entry
    return {
      ...entry,
      requestHeaders: maskedHeaders(requestHeaders),
      ...(responseHeaders ? { responseHeaders: maskedHeaders(responseHeaders) } : {}),
    }
  }
  // Counts in a summary refer to the whole message, even if the entry was shortened before.
  if (entry.isCut) return entry
  if (entry.kind === 'message' && entry.bytes > wholeUpToBytes) {
    const summary = summaryOf(entry.message)
    return { ...entry, message: cut(entry.message, 0) as typeof entry.message, summary, isCut: true }
  }
  if (entry.kind === 'page' && JSON.stringify(entry.message).length > wholeUpToBytes)
    return { ...entry, message: cut(entry.message, 0) as typeof entry.message, isCut: true }
  if ((entry.kind === 'stray' || entry.kind === 'stderr') && entry.text.length > wholeUpToBytes)
    return { ...entry, text: entry.text.slice(0, mostCharacters), isCut: true }
  return entry
}

function cut(value: unknown, depth: number): unknown {
  if (typeof value === 'string') return value.length > mostCharacters ? `${value.slice(0, mostCharacters)}…` : value
  if (depth > 6) return isObject(value) || Array.isArray(value) ? '…' : value
  if (Array.isArray(value)) return value.slice(0, mostItems).map((item) => cut(item, depth + 1))
  if (!isObject(value)) return value
  return Object.fromEntries(
    Object.entries(value)
      .slice(0, mostItems * 2)
      .map(([key, item]) => [key, cut(item, depth + 1)]),
  )
}
