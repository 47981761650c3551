import links from 'http-link-header'
import { isObject } from '../../protocol/messages.js'
import type { PlannedOperation } from './operation.js'
import { jsonOf } from './response.js'
import type { UpstreamResponse } from './sender.js'

/** How an operation paginates its list, according to its description. `Link` headers are followed in any case. */
export interface Paging {
  /** Name of the tool's argument for the number of items to collect. */
  readonly argument: string
  readonly by: 'link' | 'cursor' | 'page' | 'offset'
  /** The tool's argument for the next page: cursor, page number or offset. */
  readonly next?: string
  /** Path of the next cursor in the response. */
  readonly cursorAt?: readonly string[]
  /** Path of the items; the whole response if it is empty. */
  readonly itemsAt: readonly string[]
}

/** Requests one page; the URL is that of the next page, if the API returned one. */
export type AskPage = (given: Readonly<Record<string, unknown>>, url?: string) => Promise<UpstreamResponse>

/** Value for the next page; undefined if this was the last one. */
function nextPage(
  { by, next, cursorAt, itemsAt }: Paging,
  given: Readonly<Record<string, unknown>>,
  response: UpstreamResponse,
  json: unknown,
): { given: Readonly<Record<string, unknown>>; url?: string } | undefined {
  const linked = linkTo(response)
  if (linked !== undefined) return { given, url: linked }
  if (response.headers.has('link') || by === 'link' || next === undefined) return undefined
  const items = listAt(json, itemsAt)
  if (items.length === 0) return undefined
  if (by === 'cursor') {
    const cursor = cursorAt?.reduce<unknown>((at, key) => (isObject(at) ? at[key] : undefined), json)
    const isThere = (typeof cursor === 'string' && cursor !== '') || typeof cursor === 'number'
    return isThere && cursor !== given[next] ? { given: { ...given, [next]: cursor } } : undefined
  }
  const before = Number(given[next] ?? (by === 'page' ? 1 : 0))
  return { given: { ...given, [next]: before + (by === 'page' ? 1 : items.length) } }
}

/** Collects items from pages up to the limit; reports each page as progress. */
export async function gathered(
  { paging }: PlannedOperation & { paging: Paging },
  given: Readonly<Record<string, unknown>>,
  wanted: number,
  ask: AskPage,
  onProgress: (done: number) => void,
): Promise<UpstreamResponse> {
  const first = await ask(given)
  const json = jsonOf(first)
  if (first.status >= 300 || json === undefined) return first
  const items = [...listAt(json, paging.itemsAt)]
  const seen = new Set<string>()
  let next = nextPage(paging, given, first, json)
  while (next && items.length < wanted && items.length > 0) {
    const key = next.url ?? JSON.stringify(next.given)
    // If the links of an API form a cycle, it is followed once.
    if (seen.has(key)) break
    seen.add(key)
    onProgress(items.length)
    const page = await ask(next.given, next.url)
    const more = jsonOf(page)
    if (page.status >= 300) return page
    const found = listAt(more, paging.itemsAt)
    if (found.length === 0) break
    items.push(...found)
    next = nextPage(paging, next.given, page, more)
  }
  const whole = withList(json, paging.itemsAt, items.slice(0, wanted))
  return { ...first, body: Buffer.from(JSON.stringify(whole)), isCut: false }
}

function linkTo({ headers, url }: UpstreamResponse): string | undefined {
  const text = headers.get('link')
  if (text === undefined) return undefined
  try {
    const [next] = links.parse(text).rel('next')
    const to = next && URL.canParse(next.uri, url) ? new URL(next.uri, url) : undefined
    // Requests contain secrets, so pages on other servers are not fetched.
    return to?.origin === new URL(url).origin ? to.href : undefined
  } catch {
    return undefined
  }
}

function listAt(json: unknown, path: readonly string[]): readonly unknown[] {
  const found = path.reduce<unknown>((at, key) => (isObject(at) ? at[key] : undefined), json)
  return Array.isArray(found) ? found : []
}

function withList(json: unknown, [key, ...rest]: readonly string[], items: readonly unknown[]): unknown {
  if (key === undefined) return items
  return isObject(json) ? { ...json, [key]: withList(json[key], rest, items) } : json
}
