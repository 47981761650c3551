/** A server as its tokens name it: lower-case scheme and host, no fragment, no slash at the end unless it is the path (RFC 8707). */
export function canonicalUri(text: string): string {
  const url = new URL(text)
  url.hash = ''
  return url.pathname === '/' && url.search === '' ? url.origin : url.href
}
