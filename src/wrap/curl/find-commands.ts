import { requestOfCurl } from './command.js'
import type { RecordedRequest, RecordedRequests } from './recorded.js'
import { shellWords } from './shell-words.js'

/** curl command lines of a text: a shell script, or a Markdown page with them in its code. */
export function commandsIn(text: string, file: string): RecordedRequests {
  const requests: RecordedRequest[] = []
  const unread: { where: string; reason: string }[] = []
  const command = /(^|[\n;|&(`])[ \t]*(?:[$>%][ \t]+)?(?:[A-Z_][A-Z0-9_]*=\S*[ \t]+)*curl(?:\.exe)?[ \t]/g
  for (let found = command.exec(text); found; found = command.exec(text)) {
    const start = found.index + found[0].length
    const before = text.slice(0, start)
    const where = `${file}:${before.split('\n').length}`
    // What stands in Markdown between single backquotes ends with them.
    const isInline = found[1] === '`'
    const close = isInline ? text.indexOf('`', start) : -1
    try {
      const { words, end } = shellWords(close > 0 ? text.slice(0, close) : text, start)
      command.lastIndex = Math.max(end, start)
      if (words.length > 0) requests.push({ ...requestOfCurl(words, where), ...sayingOf(text, found.index) })
    } catch (error) {
      unread.push({ where, reason: error instanceof Error ? error.message : String(error) })
    }
  }
  return { requests, unread }
}

/** What stands before a command: a comment, or in Markdown the sentence and the heading above its code. */
function sayingOf(text: string, at: number): { about?: string } {
  const lines = text.slice(0, at).split('\n')
  const comment: string[] = []
  let row = lines.length - 1
  while (row >= 0 && lines[row]?.trim() === '') row--
  for (; row >= 0 && /^\s*(#|\/\/)(?!#)/.test(lines[row] ?? ''); row--) {
    if (isHeading(lines, row)) break
    comment.unshift((lines[row] ?? '').replace(/^\s*(#!?|\/\/)\s*/, ''))
  }
  if (comment.length > 0) return { about: comment.join(' ').trim() }
  if (!/^\s*(```|~~~)/.test(lines[row] ?? '')) return {}
  const paragraph: string[] = []
  for (row--; row >= 0 && lines[row]?.trim() === ''; row--);
  for (; row >= 0 && lines[row]?.trim() !== '' && !/^\s*(```|~~~)/.test(lines[row] ?? ''); row--)
    paragraph.unshift((lines[row] ?? '').replace(/^\s*(#+|>|[-*])\s+/, ''))
  const about = paragraph.join(' ').replace(/[`*_]/g, '').replace(/:$/, '').trim()
  return about === '' ? {} : { about }
}

/** In Markdown outside of code, `#` makes a heading. */
const isHeading = (lines: readonly string[], row: number) =>
  lines.slice(0, row).filter((line) => /^\s*(```|~~~)/.test(line)).length % 2 === 0 &&
  lines.some((line) => /^\s*(```|~~~)/.test(line))
