/** Wrapping REST APIs by their OpenAPI descriptions: operations become tools. */
export { JexoError } from './errors.js'
export type { OpenApiPlanOptions } from './wrap/openapi/plan.js'
export {
  type OpenApiSource,
  openApiPlan as planOpenApi,
  type WrapOpenApiOptions,
  wrapOpenApi,
} from './wrap/openapi/wrap-openapi.js'
export { type Injectable, throughInject } from './wrap/rest/inject.js'
export { type RestLimits, restLimits } from './wrap/rest/limits.js'
export type { LeftOutOperation, PlannedOperation, RestPlan } from './wrap/rest/operation.js'
export type { CredentialGiven } from './wrap/rest/own-credential.js'
export type { RestOptions } from './wrap/rest/parts.js'
export type { InProcess } from './wrap/rest/sender.js'
