/**
 * Hooks for views that are written in React.
 * @module
 */
export { useView, type ViewState } from './view/page/use-view.js'
