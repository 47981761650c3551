import type { ViewDomains } from '../../protocol/ui.js'
import { elementsIn } from '../../view/build/inline.js'

/** An external resource of a view. */
export interface RemoteReference {
  url: string
  /** The declaration that it requires. */
  needs: 'loads' | 'connects' | 'frames'
}

const mostFound = 200

/** External resources of a page: in elements, style sheets, and literal URLs in scripts. */
export function remoteReferences(html: string): RemoteReference[] {
  const found: RemoteReference[] = []
  const add = (url: string | undefined, needs: RemoteReference['needs']) => {
    if (url !== undefined && /^((https?|wss?):)?\/\//i.test(url) && found.length < mostFound)
      found.push({ url: url.startsWith('//') ? `https:${url}` : url, needs })
  }
  const styles = (css: string) => {
    for (const [, url] of css.matchAll(/(?:url\(\s*["']?|@import\s+["'])((?:https?:)?\/\/[^"')\s]+)/gi))
      add(url, 'loads')
  }
  for (const { name, attributes: attribs, text } of elementsIn(html)) {
    if (attribs.style) styles(attribs.style)
    if (/^(script|img|source|video|audio|embed|track)$/.test(name)) add(attribs.src, 'loads')
    else if (name === 'link' && /stylesheet|icon|preload/i.test(attribs.rel ?? '')) add(attribs.href, 'loads')
    else if (name === 'iframe') add(attribs.src, 'frames')
    if (name === 'style') styles(text)
    if (name !== 'script' || attribs.type === 'application/json') continue
    for (const [, url] of text.matchAll(
      /(?:\bfetch|new\s+(?:WebSocket|EventSource))\(\s*["'`]([a-z]+:\/\/[^"'`\s$]+)/gi,
    ))
      add(url, 'connects')
  }
  return found
}

const declaredIn = { loads: 'resourceDomains', connects: 'connectDomains', frames: 'frameDomains' } as const

/** True if the view declares the origin of what its page loads. */
export function isDeclared({ url, needs }: RemoteReference, csp: ViewDomains = {}): boolean {
  if (!URL.canParse(url)) return false
  const { protocol, host } = new URL(url)
  return (csp[declaredIn[needs]] ?? []).some((domain) => {
    const [scheme = '', name = ''] = domain.toLowerCase().split('://')
    if (`${scheme}:` !== protocol) return false
    return name.startsWith('*.') ? host.endsWith(name.slice(1)) : host === name
  })
}
