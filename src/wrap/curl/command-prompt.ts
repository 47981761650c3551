/**
 * A command of the Windows command prompt from a place in a text, as a POSIX shell would have it: lines that go on after `^`, and characters that
 * `^` escapes. Undefined if the line is not of that kind.
 */
export function commandPrompt(text: string, start: number): { text: string; end: number } | undefined {
  const lineEnd = (from: number) => {
    const at = text.indexOf('\n', from)
    return at < 0 ? text.length : at
  }
  let end = lineEnd(start)
  if (!/\^\r?$|\^"/.test(text.slice(start, end))) return undefined
  while (/\^\r?$/.test(text.slice(start, end)) && end < text.length) end = lineEnd(end + 1)
  const joined = text.slice(start, end).replace(/\^\r?\n/g, ' ')
  return { text: joined.replace(/\^(.)/g, '$1'), end }
}
