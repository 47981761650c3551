/** Maximum number of URLs from one pattern; they are examples of one request. */
const maxUrls = 20

/**
 * The URLs of a pattern as curl expands it: `{a,b}`, `[1-10]`, `[001-100:10]`, `[a-z]`. A name alone in braces, as in `/hives/{hive}`, is a
 * placeholder and stays. Returns the first ones if there are many.
 */
export function globbed(url: string): string[] {
  const found = firstPattern(url)
  if (!found) return [url]
  const [whole, list, from, to, step, first, last] = found
  const before = url.slice(0, found.index)
  const after = url.slice(found.index + whole.length)
  const urls: string[] = []
  for (const one of list?.split(',') ?? numbers(from, to, step) ?? letters(first, last)) {
    for (const rest of globbed(after)) {
      urls.push(before + one + rest)
      if (urls.length === maxUrls) return urls
    }
  }
  return urls
}

/** The first list, numeric range or letter range. Descending ranges do not count, since curl refuses them. */
function firstPattern(url: string): RegExpExecArray | undefined {
  for (const found of url.matchAll(/\{([^{}]*)\}|\[(\d{1,9})-(\d{1,9})(?::(\d{1,9}))?\]|\[([a-z])-([a-z])\]/gi)) {
    const [, list, from, to, , first = '', last = ''] = found
    if (list === undefined ? (from === undefined ? first <= last : Number(from) <= Number(to)) : list.includes(','))
      return found
  }
  return undefined
}

function numbers(from: string | undefined, to: string | undefined, step = '1'): string[] | undefined {
  if (from === undefined || to === undefined) return undefined
  const made: string[] = []
  for (let at = Number(from); at <= Number(to) && made.length < maxUrls; at += Math.max(1, Number(step)))
    made.push(String(at).padStart(from.startsWith('0') ? from.length : 1, '0'))
  return made
}

function letters(first = 'a', last = 'a'): string[] {
  const made: string[] = []
  for (let code = first.charCodeAt(0); code <= last.charCodeAt(0) && made.length < maxUrls; code++)
    made.push(String.fromCharCode(code))
  return made
}
