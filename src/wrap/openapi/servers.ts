import { isObject, type JsonObject } from '../../protocol/messages.js'

/** URLs of servers, with defaults for variables; relative URLs are resolved against the description's URL. */
export function serverUrls(servers: unknown, rootUrl: string): string[] {
  if (!Array.isArray(servers)) return []
  return servers.flatMap((server) => {
    if (!isObject(server) || typeof server.url !== 'string') return []
    const variables = isObject(server.variables) ? server.variables : {}
    const url = server.url.replace(/\{([^{}]+)\}/g, (whole, name: string) => {
      const variable = variables[name]
      return isObject(variable) && variable.default !== undefined ? String(variable.default) : whole
    })
    return absolute(url, rootUrl)
  })
}

export const firstServer = (servers: unknown): unknown =>
  Array.isArray(servers) && isObject(servers[0]) ? servers[0].url : undefined

/** The path of a server URL without a host. */
export function pathOf(given: unknown): { basePath?: string } {
  const path = typeof given === 'string' && given.startsWith('/') ? given.replace(/\/+$/, '') : ''
  return path === '' ? {} : { basePath: path }
}

/** The base URL of a 2.0 description; empty if neither it nor its own URL contains a host. */
export function olderServers({ host, basePath, schemes }: JsonObject, rootUrl: string): string[] {
  const path = typeof basePath === 'string' ? basePath : ''
  const [first] = Array.isArray(schemes)
    ? schemes
        .filter((scheme) => scheme === 'https' || scheme === 'http')
        .sort()
        .reverse()
    : []
  if (typeof host === 'string') return [`${first ?? 'https'}://${host}${path}`.replace(/\/+$/, '')]
  return absolute(path === '' ? '/' : path, rootUrl)
}

/** A relative server URL is resolved only if the description was fetched over HTTP. */
function absolute(url: string, rootUrl: string): string[] {
  if (/^https?:\/\//.test(url)) return [url.replace(/\/+$/, '')]
  return rootUrl.startsWith('http') && URL.canParse(url, rootUrl)
    ? [new URL(url, rootUrl).href.replace(/\/+$/, '')]
    : []
}
