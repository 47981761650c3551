import { pathToFileURL } from 'node:url'
import { type HttpService, serveHttp } from 'jexo/node'
import { apiary } from './cli.js'

/**
 * The apiary on a server in this process, for tests that do not depend on how a kit is loaded: a process of its own takes
 * more than a second to start.
 */
export async function serveApiary(port = 0): Promise<HttpService> {
  const { default: kit } = await import(pathToFileURL(apiary).href)
  return serveHttp(kit, { port })
}
