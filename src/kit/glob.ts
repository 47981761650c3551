/** The longest name or glob that is looked at. */
const longest = 500

/**
 * A matcher for names with `*`, which matches any characters. Takes time in proportion to the name: each piece between stars is
 * looked for once, from where the one before it ended.
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
