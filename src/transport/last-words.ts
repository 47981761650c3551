/** Number of output lines of a process that are kept, to report when it ends. */
export const keptLines = 40

/**
 * A summary of the output of a process that has ended: the error in its last lines, without its stack; otherwise the
 * last lines.
 */
export function lastWords(lines: readonly string[]): string {
  const error = lines.findLast((line) => /^\S*(Error|Exception)\b.*:|^error\b|^jexo: error/i.test(line))
  const telling = error === undefined ? lines.filter((line) => !isOwnNews(line)).slice(-3) : [error]
  return telling.length > 0 ? `, saying: ${telling.join(' | ')}` : ''
}

/** Regular log lines of a Jexo server say nothing about its end. */
const isOwnNews = (line: string) => /^jexo: (?!error|warning)/.test(line)
