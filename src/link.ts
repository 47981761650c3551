/** The client side for programs: over HTTP, or to a kit in memory. Runs in a browser too. */
export { JexoError } from './errors.js'
export { type CallOptions, Link, type LinkEvents, type LinkOptions } from './link/link.js'
export { RpcError } from './protocol/rpc-error.js'
export type {
  ContentBlock,
  LogMessage,
  PromptDefinition,
  PromptResult,
  ReadResult,
  ResourceDefinition,
  TemplateDefinition,
  ToolDefinition,
  ToolResult,
} from './protocol/types.js'
export { type DialOptions, dial } from './transport/dial.js'
