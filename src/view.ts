/**
 * For pages that a tool shows inside a host: connects the page, and gives it the call's input, result and surroundings. Runs in browsers only, without
 * dependencies.
 * @module
 */
export type { DisplayMode } from './protocol/ui.js'
export {
  type OpenViewOptions,
  openView,
  type ViewEvents,
  type ViewHost,
  type ViewResult,
} from './view/page/open-view.js'
export type { HostCapabilities, ViewContext } from './view/wire/messages.js'
export { type AskOptions, ViewError } from './view/wire/peer.js'
