/** The functions that a kit file imports. */
export { JexoError } from './errors.js'
export type {
  Call,
  CallLog,
  CallSession,
  Completer,
  CompletionCall,
  Identity,
  ModelQuestion,
  PersonAnswer,
  PersonSent,
  Root,
} from './kit/call.js'
export { type CallState, type StateKey, stateKey } from './kit/call-state.js'
export { except, type Override, only, override, rename, withPrefix, withTags } from './kit/choose.js'
export { type ContentOptions, content, type Embeddable } from './kit/content.js'
export type { Effect } from './kit/effects.js'
export { defineKit, type Kit, type KitOptions } from './kit/kit.js'
export {
  type Layer,
  type LayerCall,
  type LayeredMethod,
  type LayerFunction,
  type LayerNote,
  type LayerOptions,
  layer,
  type Next,
} from './kit/layer.js'
export type {
  Example,
  MessageGiven,
  Part,
  PartExtras,
  PromptPart,
  ResourcePart,
  TemplatePart,
  ToolPart,
  ViewPart,
} from './kit/part.js'
export { type PromptOptions, prompt } from './kit/prompt.js'
export { Refusal, type Visit } from './kit/refusal.js'
export { type ResourceOptions, resource } from './kit/resource.js'
export { type JsonSchema, noOutput, type Schema } from './kit/schema.js'
export { type Setting, type SettingOptions, type Settings, setting } from './kit/settings.js'
export { type Opening, type Shared, type SharedOptions, shared } from './kit/shared.js'
export { type TemplateOptions, template } from './kit/template.js'
export { type ToolOptions, tool } from './kit/tool.js'
export { type ViewOptions, view } from './kit/view.js'
export type { ModelReply, ModelRequest, SamplingMessage, ToolUse, ToolUseResult } from './protocol/sampling.js'
export type { ContentBlock, Icon, ResourceDefinition } from './protocol/types.js'
