/** Wraps GraphQL APIs: operations become tools. */
export { JexoError } from './errors.js'
export type { GraphPlanOptions } from './wrap/graphql/plan.js'
export { planGraphql, type WrapGraphqlOptions, wrapGraphql } from './wrap/graphql/wrap-graphql.js'
export { type RestLimits, restLimits } from './wrap/http-api/limits.js'
export type { PlannedOperation, RestPlan, SkippedOperation } from './wrap/http-api/operation.js'
export type { CredentialGiven } from './wrap/http-api/own-credential.js'
export type { RestOptions } from './wrap/http-api/parts.js'
