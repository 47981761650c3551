/** How many lines are kept of what a process says, to tell of them when it ends. */
export const keptLines = 40

/** What is told of a process that has ended: its error where one stands among its last lines, without the stack under it; else the last lines. */
export function lastWords(lines: readonly string[]): string {
  const error = lines.findLast((line) => /^\S*(Error|Exception)\b.*:|^error\b|^jexo: error/i.test(line))
  const telling = error === undefined ? lines.filter((line) => !isOwnNews(line)).slice(-3) : [error]
  return telling.length > 0 ? `, saying: ${telling.join(' | ')}` : ''
}

/** What a Jexo server logs while all is well tells nothing about its end. */
const isOwnNews = (line: string) => /^jexo: (?!error|warning)/.test(line)
