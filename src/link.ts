/** The client side for programs: connects over HTTP or to a kit in memory. Also runs in browsers. */
export { JexoError } from './errors.js'
export type { AnyTools, ToolsOf } from './kit/typing.js'
export { alwaysAnswer, answersFrom, type ReadyAnswer } from './link/answerers.js'
export { Link } from './link/link.js'
export type { CallOptions, LinkEvents, LinkOptions } from './link/options.js'
export type { Answerer, ModelResponder, Question, QuestionAnswer } from './link/server-requests.js'
export type { StartOptions, TaskHandle, WaitOptions } from './link/tasks.js'
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
export type { Task, TaskStatus } from './tasks/task.js'
export { type ConnectOptions, connect, connectAll } from './transport/connect.js'
export type { Links } from './transport/connect-all.js'
