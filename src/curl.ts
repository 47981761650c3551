/** Wraps written requests: curl commands, `.http` files, HAR recordings. */
export { JexoError } from './errors.js'
export type { CurlPlanOptions } from './wrap/curl/plan.js'
export { planCurl, type WrapCurlOptions, wrapCurl } from './wrap/curl/wrap-curl.js'
export { type RestLimits, restLimits } from './wrap/http-api/limits.js'
export type { PlannedOperation, RestPlan, SkippedOperation } from './wrap/http-api/operation.js'
export type { RestOptions } from './wrap/http-api/parts.js'
