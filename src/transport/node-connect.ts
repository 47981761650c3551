import { isKit, type Kit } from '../kit/kit.js'
import type { ToolsOf } from '../kit/typing.js'
import { Link } from '../link/link.js'
import { type ChildCommand, ChildWire, type ChildWireOptions } from './child-wire.js'
import { type ConnectOptions, connect } from './connect.js'
import { foreignValidator } from './foreign-validator.js'
import { MemoryWire } from './memory.js'
import { runOnNode } from './node-run.js'

export type NodeTarget = string | URL | Kit | ChildCommand
export interface NodeConnectOptions extends ConnectOptions, ChildWireOptions {}

/**
 * Opens a link from Node: like `connect` of `jexo/link`, and also to a command, which is started as a child process and used over
 * its stdin and stdout. `onStderr` is called for each line of its stderr.
 *
 * @example const link = await connect({ command: process.execPath, args: ['server.mjs'] })
 */
export function connectOnNode<K extends Kit>(kit: K, options?: NodeConnectOptions): Promise<Link<ToolsOf<K>>>
export function connectOnNode(target: NodeTarget, options?: NodeConnectOptions): Promise<Link>
export async function connectOnNode(target: NodeTarget, options: NodeConnectOptions = {}): Promise<Link> {
  const showsUpstream = options.onUpstream !== undefined
  if (isKit(target))
    return Link.open(new MemoryWire(runOnNode(target, { showsUpstream, ...options }), true), options)
  // Requests of another program are checked against its schemas.
  const bounded = { validator: foreignValidator, ...options }
  if (typeof target === 'string' || target instanceof URL) return connect(target, bounded)
  return Link.open(new ChildWire(target, bounded), bounded)
}
