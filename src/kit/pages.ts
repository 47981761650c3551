import { kitErrors } from './errors.js'

/** Source of the documents of views, shared by all copies of this package in a process. */
export interface PageSource {
  /** The documents in a packed kit, by the URI of their view. */
  frozen?: Readonly<Record<string, string>>
  /** Builds one document from the HTML file at a `file:` URL and its imports. Set on Node only. */
  build?: (url: string) => Promise<string>
}

const key = Symbol.for('jexo.pages')

export function pageSource(): PageSource {
  const holder = globalThis as { [key]?: PageSource }
  holder[key] ??= {}
  return holder[key]
}

/** The HTML of a view. Rejects with a `JexoError` if its page is a file that cannot be built here. */
export async function pageText(uri: string, page: string | URL): Promise<string> {
  if (typeof page === 'string') return page
  const { frozen, build } = pageSource()
  const packed = frozen && Object.hasOwn(frozen, uri) ? frozen[uri] : undefined
  if (packed !== undefined) return packed
  if (!build) throw kitErrors.pageNotBuilt(uri)
  return build(page.href)
}
