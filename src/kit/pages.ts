import { kitErrors } from './errors.js'

/** Where the pages of views come from. One for all copies of this package in a process. */
export interface PageSource {
  /** The pages of a packed kit, by the URI of their view. */
  frozen?: Readonly<Record<string, string>>
  /** Builds one document of the HTML file at a `file:` URL and what it imports; Node sets it. */
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
