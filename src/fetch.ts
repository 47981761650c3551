/** Serves a kit in any runtime with `Request` and `Response`. */
export { interpretingValidator } from './kit/interpreting-validator.js'
export type { JsonSchemaValidator, SchemaIssue } from './kit/validation.js'
export { type FetchHandler, type FetchHandlerOptions, fetchHandler } from './transport/fetch-handler.js'
export type { HttpLimits } from './transport/http/limits.js'
