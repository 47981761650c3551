/** Wraps servers: tools, resources and prompts of any server become parts. */
export { JexoError } from './errors.js'
export type { ServerTarget } from './wrap/server/opener.js'
export type { Planned, ServerPlan, ServerPlanOptions, SkippedPart } from './wrap/server/plan.js'
export { kitFromServer, planServer, type WrapServerOptions, wrapServer } from './wrap/server/wrap-server.js'
