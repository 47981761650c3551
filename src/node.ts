/** Serving on Node: stdio, HTTP, inside an existing application. */

import type { RunningOptions } from './engine/running-options.js'
import type { Kit } from './kit/kit.js'
import { runOnNode } from './transport/node-run.js'
import { runStdio, type StdioOptions } from './transport/stdio.js'
import { buildPages } from './view/build/install.js'

buildPages()

export { askOnTerminal, type Terminal } from './answers/terminal.js'
export { JexoError } from './errors.js'
export { connectAllOnNode as connectAll } from './target/connect-all.js'
export { connectOnNode as connect, type NodeConnectOptions, type NodeTarget } from './transport/node-connect.js'
export {
  type HttpOptions,
  type HttpService,
  type NodeHandler,
  type NodeHandlerOptions,
  nodeHandler,
  serveHttp,
} from './transport/node-http.js'

/**
 * Serves a kit on stdin and stdout (Transports, "stdio"), and ends the process with code 0 when stdin closes. Import
 * `jexo/guard` first, so that output of the kit while it loads does not reach stdout.
 */
export async function serveStdio(kit: Kit, options: StdioOptions & Partial<RunningOptions> = {}): Promise<void> {
  await runStdio(runOnNode(kit, options), options)
  process.exit(0)
}
