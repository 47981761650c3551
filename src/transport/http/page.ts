import type { RunningKit } from '../../engine/running-kit.js'
import { hostName } from '../../kit/host-name.js'
import type { HttpResponse } from './exchange.js'

const escaped = (text: string) => text.replace(/[&<>"']/g, (character) => `&#${character.charCodeAt(0)};`)

/** The page for browsers that open the endpoint: the parts of the kit, and the configuration entry to copy. */
export function pageFor({ kit, index }: RunningKit, url: string): HttpResponse {
  const entry = JSON.stringify({ mcpServers: { [hostName(kit.name)]: { url } } }, null, 2)
  const tools = [...index.tools.values()].map(
    ({ part }) => `<li><code>${escaped(part.name)}</code> ${escaped(part.about)}</li>`,
  )
  const others = `${index.resources.size} resources, ${index.templates.size} templates, ${index.prompts.size} prompts`
  const body = `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>${escaped(kit.title ?? kit.name)}</title><style>
body{font:16px/1.5 system-ui,sans-serif;max-width:44rem;margin:3rem auto;padding:0 1rem;color:#231d12;background:#fdfbf6}
code,pre{font-family:ui-monospace,monospace}pre{padding:1rem;background:#f6f0e2;overflow:auto}li{margin:.3rem 0}
</style></head><body><h1>${escaped(kit.title ?? kit.name)} <small>${escaped(kit.version)}</small></h1>
<p>${escaped(kit.about ?? '')}</p><p>This address is for programs that speak the Model Context Protocol. Put this into your host's configuration:</p>
<pre>${escaped(entry)}</pre><h2>${tools.length} tools</h2><ul>${tools.join('')}</ul><p>And ${others}.</p></body></html>`
  const headers = {
    'content-type': 'text/html; charset=utf-8',
    'content-security-policy':
      "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'; base-uri 'none'; form-action 'none'",
    'referrer-policy': 'no-referrer',
    'x-content-type-options': 'nosniff',
  }
  return { status: 200, headers, body }
}
