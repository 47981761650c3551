/** Shapes of the standard's definitions, content and results, in their newest form (Schema Reference). */
import type { JsonObject } from './messages.js'

export interface Icon {
  src: string
  mimeType?: string
  sizes?: readonly string[]
  theme?: 'light' | 'dark'
}
export interface Implementation {
  name: string
  version: string
  title?: string
  description?: string
  websiteUrl?: string
  icons?: readonly Icon[]
}
export interface Annotations {
  audience?: readonly ('user' | 'assistant')[]
  priority?: number
  lastModified?: string
}

export interface ToolDefinition {
  name: string
  title?: string
  description?: string
  inputSchema: JsonObject
  outputSchema?: JsonObject
  annotations?: ToolAnnotations
  execution?: { taskSupport?: 'forbidden' | 'optional' | 'required' }
  icons?: readonly Icon[]
  _meta?: JsonObject
}
export interface ToolAnnotations {
  title?: string
  readOnlyHint?: boolean
  destructiveHint?: boolean
  idempotentHint?: boolean
  openWorldHint?: boolean
}
export interface ResourceDefinition {
  uri: string
  name: string
  title?: string
  description?: string
  mimeType?: string
  size?: number
  annotations?: Annotations
  icons?: readonly Icon[]
  _meta?: JsonObject
}
export interface TemplateDefinition {
  uriTemplate: string
  name: string
  title?: string
  description?: string
  mimeType?: string
  annotations?: Annotations
  icons?: readonly Icon[]
  _meta?: JsonObject
}
export interface PromptArgument {
  name: string
  title?: string
  description?: string
  required?: boolean
}
export interface PromptDefinition {
  name: string
  title?: string
  description?: string
  arguments?: readonly PromptArgument[]
  icons?: readonly Icon[]
  _meta?: JsonObject
}

interface ContentExtras {
  annotations?: Annotations
  _meta?: JsonObject
}
export interface TextContent extends ContentExtras {
  type: 'text'
  text: string
}
export interface ImageContent extends ContentExtras {
  type: 'image'
  data: string
  mimeType: string
}
export interface AudioContent extends ContentExtras {
  type: 'audio'
  data: string
  mimeType: string
}
export interface LinkContent extends ContentExtras, Omit<ResourceDefinition, 'annotations' | '_meta'> {
  type: 'resource_link'
}
export interface EmbeddedContent extends ContentExtras {
  type: 'resource'
  resource: ResourceContents
}
export type ContentBlock = TextContent | ImageContent | AudioContent | LinkContent | EmbeddedContent

export interface ResourceContents {
  uri: string
  mimeType?: string
  text?: string
  blob?: string
  _meta?: JsonObject
}

export interface ToolResult<Structured = JsonObject> {
  content: ContentBlock[]
  structuredContent?: [Structured] extends [undefined] ? never : Structured
  isError?: boolean
  _meta?: JsonObject
}
export interface ReadResult {
  contents: ResourceContents[]
  _meta?: JsonObject
}
export interface PromptMessage {
  role: 'user' | 'assistant'
  content: ContentBlock
}
export interface PromptResult {
  description?: string
  messages: PromptMessage[]
  _meta?: JsonObject
}
export interface CompletionResult {
  completion: { values: string[]; total?: number; hasMore?: boolean }
  _meta?: JsonObject
}

/** Task capabilities: requests that may run as tasks, and other operations. */
export interface TasksCapability {
  list?: JsonObject
  cancel?: JsonObject
  requests?: {
    tools?: { call?: JsonObject }
    sampling?: { createMessage?: JsonObject }
    elicitation?: { create?: JsonObject }
  }
}
export interface ServerCapabilities {
  tools?: { listChanged?: boolean }
  resources?: { subscribe?: boolean; listChanged?: boolean }
  prompts?: { listChanged?: boolean }
  logging?: JsonObject
  completions?: JsonObject
  tasks?: TasksCapability
  experimental?: JsonObject
  /** Declared extensions; views are one. */
  extensions?: JsonObject
}
export interface ClientCapabilities {
  roots?: { listChanged?: boolean }
  sampling?: { tools?: JsonObject; context?: JsonObject }
  elicitation?: { form?: JsonObject; url?: JsonObject }
  tasks?: TasksCapability
  experimental?: JsonObject
  /** Declared extensions; views are one. */
  extensions?: JsonObject
}
export interface InitializeResult {
  protocolVersion: string
  capabilities: ServerCapabilities
  serverInfo: Implementation
  instructions?: string
  _meta?: JsonObject
}

/** Severity of a log message, least first (RFC 5424). */
export const logLevels = ['debug', 'info', 'notice', 'warning', 'error', 'critical', 'alert', 'emergency'] as const
export type LogLevel = (typeof logLevels)[number]
export interface LogMessage {
  level: LogLevel
  logger?: string
  data: unknown
}
