import { applyEdits, findNodeAtLocation, modify, type Node, parseTree } from 'jsonc-parser'
import { isObject } from '../../protocol/messages.js'

/**
 * Sets a value in JSON with comments, or removes it (`undefined`). A comment above an entry, or after it on its line,
 * moves with the entry; other comments stay. An existing object is changed field by field.
 */
export function edited(text: string, path: readonly string[], value: unknown): string {
  const after = isObject(value) ? withFields(text, path, value) : editedAt(text, path, value)
  return after.endsWith('\n') ? after : `${after}\n`
}

/** An entry with more fields is replaced as a whole, since each change parses the text again. */
const maxFields = 50

function withFields(text: string, path: readonly string[], value: Readonly<Record<string, unknown>>): string {
  const node = nodeAt(text, path)
  if (node?.type !== 'object') return editedAt(text, path, value)
  const known = (node.children ?? []).map((property) => String(property.children?.[0]?.value))
  if (known.length > maxFields) return editedAt(text, path, value)
  const gone = known.filter((key) => !Object.hasOwn(value, key))
  const without = gone.reduce((before, key) => editedAt(before, [...path, key], undefined), text)
  return Object.entries(value).reduce((before, [key, item]) => edited(before, [...path, key], item), without)
}

function editedAt(text: string, path: readonly string[], value: unknown): string {
  const parent = nodeAt(text, path.slice(0, -1))
  const key = path.at(-1) ?? ''
  const properties = parent?.type === 'object' ? (parent.children ?? []) : []
  const at = properties.findIndex((property) => property.children?.[0]?.value === key)
  const byLines =
    parent === undefined || properties.length === 0
      ? undefined
      : value === undefined
        ? at < 0
          ? text
          : removed(text, parent, at)
        : at < 0
          ? appended(text, parent, key, value)
          : undefined
  if (byLines !== undefined) return byLines
  // The formatter works line by line and takes quadratic time for long lines; a file on one long line has no format to
  // keep.
  const hasLongLine = text.split('\n').some((line) => line.length > 2000)
  const options = hasLongLine ? {} : { formattingOptions: formattingOf(text) }
  return applyEdits(text, modify(text, [...path], value, options))
}

const nodeAt = (text: string, path: readonly string[]): Node | undefined => {
  const root = parseTree(text, [], { allowTrailingComma: true })
  return root && (path.length === 0 ? root : findNodeAtLocation(root, [...path]))
}

/** Position after the last property and its comment; undefined if the object is not written on several lines. */
function appended(text: string, parent: Node, key: string, value: unknown): string | undefined {
  const last = parent.children?.at(-1)
  if (!last) return undefined
  const end = last.offset + last.length
  const rest = readGap(text, end, parent.offset + parent.length - 1)
  const indent = indentOf(text, last.offset)
  if (rest.lineEnd === undefined || indent === undefined) return undefined
  const { tabSize, insertSpaces, eol } = formattingOf(text)
  const written = JSON.stringify(value, null, insertSpaces ? tabSize : '\t').replaceAll('\n', `${eol}${indent}`)
  const isClosed = rest.comma !== undefined
  return [
    text.slice(0, end),
    isClosed ? '' : ',',
    text.slice(end, rest.lineEnd),
    `${eol}${indent}${JSON.stringify(key)}: ${written}${isClosed ? ',' : ''}`,
    text.slice(rest.lineEnd),
  ].join('')
}

/** The range of an entry with the comments above and after it; undefined if it shares its lines with others. */
function removed(text: string, parent: Node, at: number): string | undefined {
  const properties = parent.children as Node[]
  const [before, own, next] = [properties[at - 1], properties[at] as Node, properties[at + 1]]
  const end = own.offset + own.length
  const rest = readGap(text, end, next?.offset ?? parent.offset + parent.length - 1)
  if (indentOf(text, own.offset) === undefined || rest.lineEnd === undefined) return undefined
  const floor = before ? before.offset + before.length : parent.offset + 1
  const from = startWithComments(text, own.offset, floor)
  const lineBreak = text.startsWith('\r\n', rest.lineEnd) ? 2 : 1
  const tail = text.slice(rest.lineEnd + lineBreak)
  const comma =
    before && next === undefined && rest.comma === undefined ? readGap(text, floor, from).comma : undefined
  if (comma === undefined) return text.slice(0, from) + tail
  return text.slice(0, comma) + text.slice(comma + 1, from) + tail
}

/** Positions of the comma and the line end between two properties, outside comments. */
function readGap(text: string, from: number, to: number): { comma?: number; lineEnd?: number } {
  let comma: number | undefined
  for (let at = from; at < to; at++) {
    if (text.startsWith('//', at)) {
      const end = text.indexOf('\n', at)
      at = end < 0 || end > to ? to : end - 1
    } else if (text.startsWith('/*', at)) {
      const end = text.indexOf('*/', at + 2)
      at = end < 0 ? to : end + 1
    } else if (text[at] === ',') comma ??= at
    else if (text[at] === '\n') {
      const lineEnd = text[at - 1] === '\r' ? at - 1 : at
      return { lineEnd, ...(comma === undefined ? {} : { comma }) }
    }
  }
  return comma === undefined ? {} : { comma }
}

/** The indentation of a line. */
function indentOf(text: string, offset: number): string | undefined {
  const indent = text.slice(text.lastIndexOf('\n', offset - 1) + 1, offset)
  return /^[ \t]*$/.test(indent) ? indent : undefined
}

/** Start of the first comment directly above a line, after `floor`. */
function startWithComments(text: string, offset: number, floor: number): number {
  let from = text.lastIndexOf('\n', offset - 1) + 1
  // Text on the line of the previous property belongs to that property.
  const first = text.indexOf('\n', floor) + 1
  while (from > first) {
    const above = text.lastIndexOf('\n', from - 2) + 1
    const line = text.slice(above, from).trim()
    if (line.startsWith('//') || (line.startsWith('/*') && line.endsWith('*/'))) from = above
    else if (line.endsWith('*/')) {
      const opening = text.lastIndexOf('/*', from)
      const start = text.lastIndexOf('\n', opening) + 1
      if (opening < first || indentOf(text, opening) === undefined) return from
      from = start
    } else return from
  }
  return from
}

export function formattingOf(text: string) {
  const indent = /\n([ \t]+)\S/.exec(text)?.[1] ?? '  '
  return {
    insertSpaces: !indent.includes('\t'),
    tabSize: indent.length,
    eol: text.includes('\r\n') ? '\r\n' : '\n',
  }
}
