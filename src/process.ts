/** Wraps programs in any language that handle calls as JSON lines. */
export { JexoError } from './errors.js'
export type { DescribedFunction, ProcessDescription } from './wrap/process/description.js'
export type { PlannedFunction, ProcessPlan, ProcessPlanOptions } from './wrap/process/plan.js'
export {
  type ProcessCommand,
  planProcess,
  type WrapProcessOptions,
  wrapProcess,
} from './wrap/process/wrap-process.js'
