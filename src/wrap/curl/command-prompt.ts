/** Maximum length of one command, in characters. */
const maxCommand = 200_000

/**
 * Converts a command for the Windows command prompt to POSIX syntax: lines continued with `^`, and characters escaped
 * with `^`. Undefined if the line is not such a command.
 */
export function commandPrompt(text: string, start: number): { text: string; end: number } | undefined {
  const lineEnd = (from: number) => {
    const at = text.indexOf('\n', from)
    return at < 0 ? text.length : at
  }
  const goesOn = (end: number) => /\^\r?$/.test(text.slice(Math.max(start, end - 2), end))
  let end = lineEnd(start)
  if (!goesOn(end) && !text.slice(start, end).includes('^"')) return undefined
  while (goesOn(end) && end < text.length && end - start < maxCommand) end = lineEnd(end + 1)
  const joined = text.slice(start, end).replace(/\^\r?\n/g, ' ')
  return { text: joined.replace(/\^(.)/g, '$1'), end }
}
