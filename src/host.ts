/**
 * A host without its page: several servers, a model that proposes calls, and a user who approves them. For tests,
 * scripts and hosts of your own.
 * @module
 */
export { chatHostModel, endpointFunctions } from './host/chat-host-model.js'
export { Conversation, type ConversationOptions } from './host/conversation.js'
export { type HostFunction, toFunctions } from './host/functions.js'
export { Host, type HostOptions, type HostServer, type OpenLink } from './host/host.js'
export type { HostMessage, HostModel, ModelCall, ModelTurn } from './host/model.js'
export { type NamedOpener, type OpenersOptions, openersFor } from './host/openers.js'
export { type LoadedView, Pages } from './host/pages.js'
export { standInHostModel, standInLimits } from './host/stand-in-host-model.js'
export type {
  Attachment,
  CallStep,
  Decision,
  PageCallStep,
  PageContextStep,
  PageMessageStep,
  QuestionStep,
  SamplingStep,
  Step,
} from './host/step.js'
export { withoutSlowPatterns } from './kit/pattern.js'
export { serveViewProxy, type ViewProxy, type ViewProxyOptions } from './view/frame/serve-proxy.js'
export { ViewError } from './view/wire/peer.js'
