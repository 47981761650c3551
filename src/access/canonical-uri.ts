/**
 * The canonical form of a server's URI in tokens: lower-case scheme and host, no fragment, and no final slash unless it
 * is the path (RFC 8707).
 */
export function canonicalUri(text: string): string {
  const url = new URL(text)
  url.hash = ''
  return url.pathname === '/' && url.search === '' ? url.origin : url.href
}
