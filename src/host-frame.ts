/**
 * For pages of hosts: shows the view of a tool in isolated frames and handles its requests. Runs in browsers, without
 * dependencies. `serveViewProxy` of `jexo/host`, or `proxyPage`, serves the page of the outer frame.
 * @module
 */
export type { DisplayMode, ViewMeta } from './protocol/ui.js'
export { isViewType, uiOf, viewMetaOf } from './protocol/ui.js'
export {
  type FrameHandlers,
  FrameSession,
  type FrameSessionOptions,
  type FrameState,
} from './view/frame/frame-session.js'
export { type FrameLimits, frameLimits } from './view/frame/limits.js'
export { type OpenFrame, type OpenFrameOptions, openFrame } from './view/frame/open-frame.js'
export { plainStyles } from './view/frame/plain-styles.js'
export { policyOf, type ViewPolicy } from './view/frame/policy.js'
export { type ProxyPage, proxyPage } from './view/frame/proxy-page.js'
export { withReporter } from './view/frame/reporter.js'
export type { HostCapabilities, ModelContext, ViewContext, ViewLog } from './view/wire/messages.js'
export { ViewError } from './view/wire/peer.js'
