/** Wraps REST APIs with an OpenAPI description: operations become tools. */
export { JexoError } from './errors.js'
export { fromInject, type Injectable } from './wrap/http-api/inject.js'
export { type RestLimits, restLimits } from './wrap/http-api/limits.js'
export type { PlannedOperation, RestPlan, SkippedOperation } from './wrap/http-api/operation.js'
export type { CredentialGiven } from './wrap/http-api/own-credential.js'
export type { RestOptions } from './wrap/http-api/parts.js'
export type { InProcess } from './wrap/http-api/sender.js'
export type { OpenApiPlanOptions } from './wrap/openapi/plan.js'
export {
  type OpenApiSource,
  planOpenApi,
  type WrapOpenApiOptions,
  wrapOpenApi,
} from './wrap/openapi/wrap-openapi.js'
