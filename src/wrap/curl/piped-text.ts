import { shellWords } from './shell-words.js'

/** Maximum number of characters before a command that are examined. */
const maxBefore = 2000

/** Input of a command from `echo '…' |` or `printf '…' |`, if the text is constant. */
export function pipedText(line: string): string | undefined {
  // Otherwise a line with many commands would be scanned again for each of them.
  const before = line.slice(-maxBefore)
  const found = /(?:^|[;&(]|[$>%]\s)\s*(echo|printf)\s+(?!.*(?:echo|printf)\s)/.exec(before)
  if (!found) return undefined
  const [whole, program] = found
  try {
    const { words, end } = shellWords(before, found.index + whole.length)
    if (before.slice(end).trim() !== '') return undefined
    if (program === 'echo') {
      const isPlain = /^-[neE]+$/.test(words[0] ?? '')
      if (isPlain && words[0]?.includes('e')) return undefined
      return `${(isPlain ? words.slice(1) : words).join(' ')}${words[0]?.includes('n') && isPlain ? '' : '\n'}`
    }
    if (words.length === 2 && /^%s(\\n)?$/.test(words[0] ?? ''))
      return `${words[1]}${words[0] === '%s' ? '' : '\n'}`
    return words.length === 1 && !/[%\\]/.test(words[0] ?? '') ? words[0] : undefined
  } catch {
    return undefined
  }
}
