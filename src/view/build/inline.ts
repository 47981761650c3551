import { parseDocument } from 'htmlparser2'
import { atBodyEnd } from '../../kit/view.js'

/** A file that the bundler wrote. */
export interface BuiltFile {
  /** Path as the document refers to it, without a leading slash. */
  path: string
  text: string
}

/** A document with its scripts and style sheets inlined. Unreferenced files are left out. */
export function inlined(html: string, files: readonly BuiltFile[]): string {
  const byPath = new Map(files.map((file) => [file.path, file.text]))
  const used = (reference: string | undefined) => byPath.get((reference ?? '').replace(/^(\.?\/)+/, ''))
  const edits: { from: number; to: number; text: string }[] = []
  const body: string[] = []
  for (const { name, attributes, from, to } of elementsIn(html)) {
    if (name === 'script' && attributes.src !== undefined) {
      const text = used(attributes.src)
      if (text === undefined) continue
      edits.push({ from, to, text: '' })
      // A module runs after the document is parsed; so do scripts at its end.
      body.push(`<script type="module">${scriptSafe(text)}</script>`)
    } else if (name === 'link') {
      const text = /stylesheet/i.test(attributes.rel ?? '') ? used(attributes.href) : undefined
      if (text !== undefined)
        edits.push({ from, to, text: `<style>${text.replace(/<\/style/gi, '<\\/style')}</style>` })
      else if (/preload/i.test(attributes.rel ?? '') && used(attributes.href) !== undefined)
        edits.push({ from, to, text: '' })
    }
  }
  let text = html
  for (const edit of edits.reverse()) text = text.slice(0, edit.from) + edit.text + text.slice(edit.to)
  return atBodyEnd(text, body.join(''))
}

/** Relative references of a document, which need a bundler. */
export function localReferences(html: string): string[] {
  return elementsIn(html).flatMap(({ name, attributes, text }) => {
    const { src, href, rel = '' } = attributes
    if (/^(script|img|source|video|audio)$/.test(name) && isLocal(src)) return [src]
    if (name === 'link' && /stylesheet|icon|preload/i.test(rel) && isLocal(href)) return [href]
    if (name === 'script' && attributes.type === 'module' && /^\s*import\b|\bimport\s*\(/m.test(text))
      return [/import\s[^'"\n]*['"]([^'"]+)['"]/.exec(text)?.[1] ?? 'a module']
    return []
  })
}

const isLocal = (reference: string | undefined): reference is string =>
  reference !== undefined && reference !== '' && !/^([a-z][a-z0-9+.-]*:|\/\/|#)/i.test(reference)

/** An element of a document, with its text and position. */
export interface PageElement {
  name: string
  attributes: Record<string, string>
  text: string
  from: number
  to: number
}

/** All elements of a document, in order. */
export function elementsIn(html: string): PageElement[] {
  const found: PageElement[] = []
  const open: unknown[] = [
    ...parseDocument(html, { withStartIndices: true, withEndIndices: true }).children,
  ].reverse()
  while (open.length > 0) {
    const node = open.pop() as {
      name?: string
      attribs?: Record<string, string>
      children?: { data?: string }[]
      startIndex?: number
      endIndex?: number
    }
    if (node.name !== undefined && node.startIndex !== undefined && node.endIndex !== undefined)
      found.push({
        name: node.name,
        attributes: node.attribs ?? {},
        text: (node.children ?? []).map(({ data = '' }) => data).join(''),
        from: node.startIndex,
        to: node.endIndex + 1,
      })
    for (const child of [...(node.children ?? [])].reverse()) open.push(child)
  }
  return found
}

/** A script without an end tag, or a start tag in a comment. */
const scriptSafe = (code: string) => code.replace(/<\/(script)/gi, '<\\/$1').replace(/<!--/g, '<\\!--')
