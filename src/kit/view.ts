import { isObject, type JsonObject } from '../protocol/messages.js'
import { isViewDomain, type ViewMeta, type ViewPermission, viewMimeType, viewPermissions } from '../protocol/ui.js'
import { branded, brands } from './brand.js'
import { content } from './content.js'
import { kitErrors } from './errors.js'
import { checkKeys, extraKeys } from './option-keys.js'
import { pageText } from './pages.js'
import {
  checkAbout,
  extrasOf,
  labelOf,
  type Part,
  type PartExtras,
  type ResourcePart,
  type ToolPart,
  type ViewPart,
} from './part.js'

export interface ViewOptions extends PartExtras {
  /** Description for people; hosts may show it. */
  about: string
  /** Name in lists; by default the last segment of the URI. */
  name?: string
  /**
   * The page: a `file:` URL of an HTML file, which is bundled with its scripts and styles into one document; or a string of HTML, which is sent unchanged.
   */
  page: URL | string
  /** Origins that the page may connect to, such as `https://tiles.example`. Default: none. */
  connects?: readonly string[]
  /** Origins that scripts, styles, fonts, images and media may come from. Default: none. */
  loads?: readonly string[]
  /** Origins that nested frames may show. Default: none. */
  frames?: readonly string[]
  /** Permissions of the browser that the page asks the host for. */
  permissions?: readonly ViewPermission[]
  /** Whether the host should draw a border around the page. */
  prefersBorder?: boolean
}

const viewKeys = [
  ...['about', 'name', 'page', 'connects', 'loads', 'frames', 'permissions', 'prefersBorder'],
  ...extraKeys,
]

/**
 * Defines a view: a page that hosts show with the result of each tool that has it as its `view`. The kit adds it to its resources automatically.
 * Throws a `JexoError` if the URI does not begin with `ui://`, or an origin could not be part of a content security policy.
 *
 * @example
 * const hiveCard = view('ui://apiary/hive-card', {
 *   about: 'A hive at a glance.',
 *   page: new URL('./hive-card/index.html', import.meta.url),
 * })
 */
export function view(uri: string, options: ViewOptions): ViewPart {
  const label = labelOf('view', String(uri))
  if (typeof uri !== 'string' || !/^ui:\/\/[^/\s]/.test(uri) || !URL.canParse(uri))
    throw kitErrors.viewUri(label, String(uri))
  checkKeys(label, options, viewKeys)
  checkAbout(label, options.about)
  const { page } = options
  checkPage(label, page)
  const meta = metaOf(label, options)
  const part: ViewPart = {
    kind: 'resource',
    uri,
    name: nameOf(label, uri, options.name),
    about: options.about,
    ...extrasOf(label, options),
    mimeType: viewMimeType,
    size: undefined,
    annotations: undefined,
    page,
    ui: meta,
    read: async () => viewContents(part, await pageText(uri, page)),
  }
  return branded(part, brands.part)
}

/** The content of a view: its document and its metadata. */
export function viewContents({ uri, ui }: ViewPart, text: string) {
  const meta: JsonObject = { ...ui }
  return content.embed({
    uri,
    mimeType: viewMimeType,
    text,
    ...(Object.keys(meta).length > 0 ? { meta: { ui: meta } } : {}),
  })
}

export const isView = (part: Part): part is ViewPart => part.kind === 'resource' && 'page' in part

/** Adds the views of tools to the parts, if they are missing. Throws a `JexoError` if two views have one URI. */
export function withViews(parts: readonly Part[]): readonly Part[] {
  const named = new Map<string, ResourcePart>()
  for (const part of parts) if (part.kind === 'resource') named.set(part.uri, part)
  const added: ViewPart[] = []
  for (const { view: wanted } of parts.filter((part): part is ToolPart => part.kind === 'tool')) {
    if (wanted === undefined) continue
    const known = named.get(wanted.uri)
    if (known === undefined) added.push(wanted)
    else if (!isView(known) || known.page !== wanted.page) throw kitErrors.partTaken('resource', wanted.uri)
    named.set(wanted.uri, known ?? wanted)
  }
  return added.length === 0 ? parts : [...parts, ...added]
}

/**
 * The parts of a kit for a caller who may use only some of them: with the views of those tools, and without other
 * views.
 */
export function withOwnViews(chosen: readonly Part[], all: readonly Part[]): readonly Part[] {
  const urisOf = (parts: readonly Part[]) =>
    new Set(parts.flatMap((part) => (part.kind === 'tool' && part.view ? [part.view.uri] : [])))
  const [own, any] = [urisOf(chosen), urisOf(all)]
  if (any.size === 0) return chosen
  return withViews(chosen.filter((part) => !isView(part) || own.has(part.uri) || !any.has(part.uri)))
}

/** The parts for a host that does not show views: no views, and no tools that only views may call. */
export const withoutPages = (parts: readonly Part[]): readonly Part[] =>
  parts.filter((part) => !isView(part) && !(part.kind === 'tool' && part.forPages === 'only'))

function nameOf(label: string, uri: string, given: string | undefined): string {
  const { pathname, host } = new URL(uri)
  const name = given ?? (pathname.split('/').findLast((segment) => segment !== '') || host)
  if (typeof name !== 'string' || name === '') throw kitErrors.partField(label, 'name', 'a short name')
  return name
}

function checkPage(label: string, page: unknown): asserts page is URL | string {
  if (typeof page === 'string') {
    if (!/<[a-z!]/i.test(page)) throw kitErrors.pageNotHtml(label)
    return
  }
  if (!(page instanceof URL) || page.protocol !== 'file:')
    throw kitErrors.partField(label, 'page', "a string of HTML, or new URL('./page/index.html', import.meta.url)")
}

function metaOf(label: string, { connects, loads, frames, permissions, prefersBorder }: ViewOptions): ViewMeta {
  const csp = {
    ...domains(label, 'connects', 'connectDomains', connects),
    ...domains(label, 'loads', 'resourceDomains', loads),
    ...domains(label, 'frames', 'frameDomains', frames),
  }
  for (const name of permissions ?? [])
    if (!viewPermissions.includes(name))
      throw kitErrors.partField(label, 'permissions', `a list of ${viewPermissions.join(', ')}`)
  return Object.freeze({
    ...(Object.keys(csp).length > 0 ? { csp } : {}),
    ...(permissions && permissions.length > 0
      ? { permissions: Object.fromEntries(permissions.map((name) => [name, {}])) }
      : {}),
    ...(prefersBorder === undefined ? {} : { prefersBorder: prefersBorder === true }),
  })
}

function domains(label: string, option: string, key: string, given: unknown): Record<string, readonly string[]> {
  if (given === undefined) return {}
  if (!Array.isArray(given) || !given.every((item) => typeof item === 'string' && isViewDomain(item)))
    throw kitErrors.partField(label, option, 'a list of origins, such as https://tiles.example')
  return { [key]: Object.freeze([...given]) }
}

/** An example of a tool, for a view that is opened without a host. */
export interface ViewSample {
  tool: string
  /** The tool that shows this view; the others are tools that the view may call. */
  shows: boolean
  input: unknown
  output?: unknown
}

/** Examples of the tools that show a view or that it may call. */
export function samplesFor(uri: string, tools: readonly ToolPart[]): ViewSample[] {
  return tools
    .filter((tool) => tool.view?.uri === uri || tool.forPages !== undefined)
    .flatMap((tool) =>
      tool.examples.slice(0, 5).map((example) => ({
        tool: tool.name,
        shows: tool.view?.uri === uri,
        input: example.input,
        ...(isObject(example) && example.output !== undefined ? { output: example.output } : {}),
      })),
    )
}

const sampleElement = 'jexo-sample'

/** A document with the examples in it, for use without a host. A very large document is left unchanged. */
export function withSamples(html: string, samples: readonly ViewSample[]): string {
  const text = samples.length === 0 ? '' : JSON.stringify(samples).replace(/</g, '\\u003c')
  if (text === '' || text.length > 50_000) return html
  const block = `<script type="application/json" id="${sampleElement}">${text}</script>`
  // At the end, since the encoding must be declared within the first thousand bytes.
  return atBodyEnd(html, block)
}

/**
 * Adds a block at the end of a document's body. Scripts can contain `</body>` too, so only the closing tags of the
 * document count.
 */
export function atBodyEnd(html: string, block: string): string {
  const tail = html.slice(-500)
  const end = tail.search(/<\/body\s*>\s*(<\/html\s*>\s*)?$/i)
  const at = end < 0 ? html.length : html.length - tail.length + end
  return html.slice(0, at) + block + html.slice(at)
}
