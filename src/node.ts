/** Serving on Node: stdio, HTTP, inside an existing application. */

import type { RunningOptions } from './engine/running-kit.js'
import type { Kit } from './kit/kit.js'
import { type HttpOptions, type HttpService, serveHttp } from './transport/node-http.js'
import { runOnNode } from './transport/node-run.js'
import { type StdioOptions, serveStdio } from './transport/stdio.js'

export { askOnTerminal, type Terminal } from './answers/terminal.js'
export { JexoError } from './errors.js'
export { dialAllOnNode as dialAll } from './target/dial-all.js'
export { dialOnNode as dial, type NodeDialOptions, type NodeTarget } from './transport/node-dial.js'
export {
  type HttpOptions,
  type HttpService,
  type NodeHandler,
  type NodeHandlerOptions,
  nodeHandler,
} from './transport/node-http.js'

/**
 * Serves a kit on stdin and stdout (digest §7), and ends the process with code 0 when stdin closes.
 * Import `jexo/guard` first, so that nothing the kit prints while it loads gets onto stdout.
 */
export async function overStdio(kit: Kit, options: StdioOptions & Partial<RunningOptions> = {}): Promise<void> {
  await serveStdio(runOnNode(kit, options), options)
  process.exit(0)
}

/** Serves a kit over Streamable HTTP on a port of its own; 127.0.0.1 and any free port by default (digest §8). */
export function overHttp(kit: Kit, options: HttpOptions = {}): Promise<HttpService> {
  return serveHttp(kit, options)
}
