import { isObject } from '../../protocol/messages.js'
import { isViewDomain, type ViewMeta, viewMetaOf } from '../../protocol/ui.js'
import { innerSandbox, policyOf } from './policy.js'

/** A response for the outer frame's page. */
export interface ProxyPage {
  html: string
  headers: Readonly<Record<string, string>>
}

/**
 * The page of the outer frame, which has to be served from another origin than the page of the host. It takes one document from the host, shows it
 * in an inner frame under the policy of its own headers, and passes all further messages on unchanged.
 *
 * @param declared what stands in the `view` parameter of its address: `_meta.ui` of the view as JSON
 * @param hostOrigins origins of the pages that may contain it
 */
export function proxyPage(declared: string, hostOrigins: readonly string[]): ProxyPage {
  const { csp, allow } = policyOf(metaIn(declared))
  return {
    html: pageWith(allow),
    headers: {
      'content-type': 'text/html; charset=utf-8',
      'content-security-policy': `${csp}; frame-ancestors ${hostOrigins.join(' ') || "'none'"}`,
      'x-content-type-options': 'nosniff',
      'referrer-policy': 'no-referrer',
      'cross-origin-resource-policy': 'cross-origin',
      'cache-control': 'no-store',
    },
  }
}

function metaIn(declared: string): ViewMeta {
  try {
    const ui: unknown = JSON.parse(declared)
    return isObject(ui) ? viewMetaOf({ _meta: { ui } }) : {}
  } catch {
    return {}
  }
}

/** Origins that a policy allows for one kind of resource. */
const mostDomains = 20

/** The URL of the outer frame for a view. */
export function proxyUrl(proxy: string, { csp, permissions }: ViewMeta): string {
  const url = new URL(proxy)
  // Servers refuse long URLs, and a view may declare anything.
  const declared = Object.entries(csp ?? {}).map(([name, list]) => [
    name,
    list.filter(isViewDomain).slice(0, mostDomains),
  ])
  url.searchParams.set('view', JSON.stringify({ csp: Object.fromEntries(declared), permissions }))
  return url.href
}

const pageWith = (allow: string) => `<!doctype html>
<html lang="en">
<meta charset="utf-8">
<title>View</title>
<style>html,body{margin:0;height:100%;background:transparent;overflow:hidden}iframe{border:0;width:100%;height:100%;display:block;background:transparent}</style>
<script>
{
  const host = window.parent
  let hostOrigin
  let inner
  const isReady = (data) => data && data.method === 'ui/notifications/sandbox-resource-ready'
  addEventListener('message', ({ source, origin, data }) => {
    if (source === host && (hostOrigin === undefined || origin === hostOrigin)) {
      hostOrigin = origin
      if (!isReady(data)) {
        if (inner) inner.contentWindow.postMessage(data, '*')
      } else if (!inner && typeof data.params.html === 'string') {
        inner = document.createElement('iframe')
        inner.title = 'View'
        inner.setAttribute('sandbox', ${JSON.stringify(innerSandbox)})
        ${allow === '' ? '' : `inner.allow = ${JSON.stringify(allow)}`}
        inner.srcdoc = data.params.html
        document.body.append(inner)
      }
    } else if (inner && source === inner.contentWindow && hostOrigin !== undefined) host.postMessage(data, hostOrigin)
  })
  host.postMessage({ jsonrpc: '2.0', method: 'ui/notifications/sandbox-proxy-ready', params: {} }, '*')
}
</script>
<body></body>
`
