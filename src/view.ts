/**
 * For views: connects the page to the host that shows it, and provides the call's input, its result and the host's
 * context. Runs in browsers only, without dependencies.
 * @module
 */
export type { DisplayMode } from './protocol/ui.js'
export { openView } from './view/page/open-view.js'
export type { OpenViewOptions, ViewEvents, ViewHost, ViewResult } from './view/page/view-host.js'
export type { HostCapabilities, ViewContext } from './view/wire/messages.js'
export { type AskOptions, ViewError } from './view/wire/peer.js'
