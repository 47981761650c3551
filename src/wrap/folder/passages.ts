import MarkdownIt from 'markdown-it'
import { htmlLines } from './html-text.js'
import type { TextForm } from './media.js'

/** A section of a text that is found and shown as a unit. Lines count from 1, both ends included. */
export interface Passage {
  /** Headings above it, outermost first, such as `Winter feed › How much`; `page 3` in a PDF; the first row of a table. */
  readonly heading: string
  readonly fromLine: number
  readonly toLine: number
  readonly text: string
}

/** Target length of a passage; at most half as much again. */
const wantedCharacters = 1200
const maxCharacters = wantedCharacters * 1.5

/** Splits a text into passages: at headings if it has any, and at paragraphs where one would be too long. */
export function passagesOf(text: string, form: Exclude<TextForm, 'none' | 'pdf'>): Passage[] {
  if (form === 'markdown') return byHeadings(text.split('\n'), markdownHeadings(text))
  if (form === 'html') {
    const { lines, headings } = htmlLines(text)
    return byHeadings(lines, headings)
  }
  const lines = text.split('\n')
  return form === 'table' ? split(lines, 1, (lines[0] ?? '').trim()) : split(lines, 1, '')
}

/** The passages of pages, by number. */
export const passagesOfPages = (pages: readonly string[]): Passage[] =>
  pages.flatMap((page, at) => split(page.split('\n'), 1, `page ${at + 1}`))

export interface Heading {
  readonly level: number
  readonly text: string
  /** Numbered from 1. */
  readonly line: number
}

const markdown = new MarkdownIt({ html: true })

function markdownHeadings(text: string): Heading[] {
  const tokens = markdown.parse(text, {})
  return tokens.flatMap((token, at) =>
    token.type === 'heading_open' && token.map
      ? [{ level: Number(token.tag.slice(1)), text: tokens[at + 1]?.content ?? '', line: token.map[0] + 1 }]
      : [],
  )
}

function byHeadings(lines: readonly string[], headings: readonly Heading[]): Passage[] {
  const above: Heading[] = []
  const passages = split(lines.slice(0, (headings[0]?.line ?? lines.length + 1) - 1), 1, '')
  for (const [at, heading] of headings.entries()) {
    while ((above.at(-1)?.level ?? 0) >= heading.level) above.pop()
    above.push(heading)
    const end = headings[at + 1]?.line ?? lines.length + 1
    const label = above.map(({ text }) => text).join(' › ')
    passages.push(...split(lines.slice(heading.line - 1, end - 1), heading.line, label))
  }
  return passages
}

/** Cuts lines into passages at empty lines, or anywhere if there are none. */
function split(lines: readonly string[], firstLine: number, heading: string): Passage[] {
  const passages: Passage[] = []
  let start = 0
  let length = 0
  const finish = (end: number) => {
    let [from, to] = [start, end]
    while (from < to && lines[from]?.trim() === '') from++
    while (to > from && lines[to - 1]?.trim() === '') to--
    if (to > from)
      for (const text of piecesOf(lines.slice(from, to).join('\n')))
        passages.push({ heading, fromLine: firstLine + from, toLine: firstLine + to - 1, text })
    start = end
    length = 0
  }
  for (const [at, line] of lines.entries()) {
    const isGap = line.trim() === ''
    if (length > 0 && (length + line.length > maxCharacters || (isGap && length > wantedCharacters))) finish(at)
    length += line.length + 1
  }
  finish(lines.length)
  return passages
}

/** A text without line breaks, such as minified code, is cut between words. */
function piecesOf(text: string): string[] {
  const pieces: string[] = []
  let rest = text
  while (rest.length > maxCharacters) {
    const space = rest.lastIndexOf(' ', maxCharacters)
    const isHalf = /[\ud800-\udbff]/.test(rest.charAt(maxCharacters - 1))
    const at = space > wantedCharacters / 2 ? space : maxCharacters - (isHalf ? 1 : 0)
    pieces.push(rest.slice(0, at))
    rest = rest.slice(at).trimStart()
  }
  return rest === '' ? pieces : [...pieces, rest]
}
