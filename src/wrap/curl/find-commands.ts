import { messageOf } from '../../errors.js'
import { LineIndex } from '../source/line-index.js'
import { requestsOfCurl } from './command.js'
import { commandPrompt } from './command-prompt.js'
import { pipedText } from './piped-text.js'
import type { RecordedRequest, RecordedRequests } from './recorded.js'
import { shellWords } from './shell-words.js'

/** The curl command lines in a text: a shell script, or a Markdown page with commands in its code. */
export function commandsIn(text: string, file: string): RecordedRequests {
  const requests: RecordedRequest[] = []
  const unread: { where: string; reason: string }[] = []
  const command =
    /(^|[\n;|&(`])[ \t]*(?:[$>%][ \t]+)?(?:[A-Z_][A-Z0-9_]*=\S{0,500}[ \t]+){0,20}curl(?:\.exe)?[ \t]/g
  const index = new LineIndex(text)
  const page = readPage(index.lines)
  for (let found = command.exec(text); found; found = command.exec(text)) {
    const start = found.index + found[0].length
    const where = `${file}:${index.lineAt(start)}`
    const row = index.lineAt(found.index) - 1
    // In Markdown, inline code ends at the closing backquote.
    const isInline = found[1] === '`'
    const close = isInline ? text.indexOf('`', start) : -1
    try {
      const prompt = isInline ? undefined : commandPrompt(text, start)
      const { words, end, stdin } = prompt
        ? { ...shellWords(prompt.text, 0), end: prompt.end }
        : shellWords(close > 0 ? text.slice(0, close) : text, start)
      command.lastIndex = Math.max(end, start)
      const before = text.slice(index.startOf(row + 1), found.index)
      const given = stdin ?? (found[1] === '|' ? pipedText(before) : undefined)
      const saying = sayingOf(page, row, found[1] === '|' ? '' : before)
      if (words.length > 0)
        requests.push(...requestsOfCurl(words, where, given).map((request) => ({ ...request, ...saying })))
    } catch (error) {
      unread.push({ where, reason: messageOf(error) })
    }
  }
  return { requests, unread }
}

/** The lines of a text, with a value that is needed often: how many code fences come before each line. */
interface Page {
  readonly lines: readonly string[]
  readonly fencesBefore: readonly number[]
  readonly hasFences: boolean
}

const isFence = (line: string): boolean => /^\s*(```|~~~)/.test(line)

function readPage(lines: readonly string[]): Page {
  let fences = 0
  const fencesBefore = lines.map((line) => {
    const before = fences
    if (isFence(line)) fences++
    return before
  })
  return { lines, fencesBefore, hasFences: fences > 0 }
}

/** How many lines before a command are examined. */
const mostAbout = 50

/**
 * Text before a command: a comment, or in Markdown the sentence and the heading above the code. `last` is the row of
 * the command, `rest` the text on that row before it.
 */
function sayingOf(page: Page, last: number, rest: string): { about?: string } {
  const lineAt = (row: number): string => (row === last ? rest : (page.lines[row] ?? ''))
  const least = Math.max(0, last - mostAbout)
  const comment: string[] = []
  let row = last
  while (row >= least && lineAt(row).trim() === '') row--
  for (; row >= least && /^\s*(#|\/\/)(?!#)/.test(lineAt(row)); row--) {
    if (isHeading(page, row)) break
    comment.unshift(lineAt(row).replace(/^\s*(#!?|\/\/)\s*/, ''))
  }
  if (comment.length > 0) return { about: comment.join(' ').trim() }
  if (row < least || !isFence(lineAt(row))) return {}
  const paragraph: string[] = []
  for (row--; row >= least && lineAt(row).trim() === ''; row--);
  for (; row >= least && lineAt(row).trim() !== '' && !isFence(lineAt(row)); row--)
    paragraph.unshift(lineAt(row).replace(/^\s*(#+|>|[-*])\s+/, ''))
  const about = paragraph.join(' ').replace(/[`*_]/g, '').replace(/:$/, '').trim()
  return about === '' ? {} : { about }
}

/** In Markdown outside of code, `#` starts a heading. */
const isHeading = ({ fencesBefore, hasFences }: Page, row: number) =>
  hasFences && (fencesBefore[row] ?? 0) % 2 === 0
