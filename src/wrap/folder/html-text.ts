import { Parser } from 'htmlparser2'
import type { Heading } from './passages.js'

/** Elements whose start and end separate words. */
const blocks =
  /^(address|article|aside|blockquote|br|button|caption|dd|details|div|dl|dt|fieldset|figcaption|figure|footer|form|h[1-6]|header|hr|img|input|label|li|main|nav|ol|option|p|pre|section|select|summary|table|tbody|td|textarea|tfoot|th|thead|title|tr|ul)$/

const unseen = new Set(['script', 'style', 'template', 'noscript', 'svg'])

/** The words of a page with line numbers, and its headings. */
export function htmlLines(html: string): { lines: string[]; headings: Heading[] } {
  const starts = [0]
  for (let at = html.indexOf('\n'); at >= 0; at = html.indexOf('\n', at + 1)) starts.push(at + 1)
  const lines = starts.map(() => '')
  const headings: { level: number; text: string; line: number }[] = []
  const within: string[] = []
  let line = 0
  let open: { level: number; text: string; line: number } | undefined
  const parser = new Parser({
    onopentagname(name) {
      if (unseen.has(name)) within.push(name)
      separate(name)
      if (/^h[1-6]$/.test(name)) open = { level: Number(name[1]), text: '', line: lineAt(parser.startIndex) + 1 }
    },
    ontext(text) {
      if (within.length > 0) return
      if (open) open.text += text
      const at = lineAt(parser.startIndex)
      for (const [offset, piece] of text.split('\n').entries()) {
        const words = piece.replace(/\s+/g, ' ')
        if (words.trim() !== '' && at + offset < lines.length) lines[at + offset] += words
      }
    },
    onclosetag(name) {
      if (within.at(-1) === name) within.pop()
      separate(name)
      if (open && /^h[1-6]$/.test(name)) {
        headings.push({ ...open, text: open.text.replace(/\s+/g, ' ').trim() })
        open = undefined
      }
    },
  })
  const separate = (name: string): void => {
    if (!blocks.test(name)) return
    const at = lineAt(parser.startIndex)
    if (lines[at] && !lines[at].endsWith(' ')) lines[at] += ' '
  }
  // Positions only increase.
  const lineAt = (index: number): number => {
    while ((starts[line + 1] ?? Number.POSITIVE_INFINITY) <= index) line++
    return line
  }
  parser.end(html)
  return { lines: lines.map((text) => text.trim()), headings }
}
