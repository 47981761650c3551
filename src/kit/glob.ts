/** Maximum length of a name or glob. */
const longest = 500

/**
 * Makes a matcher for names with `*`, which matches any characters. Linear in the length of the name: each piece
 * between stars is searched once, from the end of the previous match.
 */
export function globMatcher(glob: string): (text: string) => boolean {
  if (glob.length > longest) return () => false
  const pieces = glob.split('*')
  const [first = ''] = pieces
  if (pieces.length === 1) return (text) => text === glob
  const last = pieces.at(-1) ?? ''
  const middle = pieces.slice(1, -1).filter(Boolean)
  return (text) => {
    if (text.length < first.length + last.length || !text.startsWith(first) || !text.endsWith(last)) return false
    let at = first.length
    const end = text.length - last.length
    for (const piece of middle) {
      const found = text.indexOf(piece, at)
      if (found < 0 || found + piece.length > end) return false
      at = found + piece.length
    }
    return true
  }
}
