/**
 * Maps a URL of the description to the actual location of the API. URLs of the server in the description follow the
 * base URL that is used instead; those of other servers stay unchanged.
 */
export function relocated(url: string, described: string | undefined, base: string): string {
  if (described === undefined || !URL.canParse(described) || !URL.canParse(url)) return url
  const [from, to, wanted] = [new URL(described), new URL(base), new URL(url)]
  if (wanted.origin !== from.origin || from.origin === to.origin) return url
  const root = from.pathname.replace(/\/+$/, '')
  const isBelow = wanted.pathname === root || wanted.pathname.startsWith(`${root}/`)
  const path = isBelow ? to.pathname.replace(/\/+$/, '') + wanted.pathname.slice(root.length) : wanted.pathname
  return `${to.origin}${path}${wanted.search}`.replace(/\/+$/, '')
}
