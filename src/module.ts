/** Wraps existing functions: they become tools with schemas from their types and doc comments. */
export { JexoError } from './errors.js'
export { type Loss, type SimplifiedSchema, simplifySchema } from './kit/simplify.js'
export { type Conversion, type Definitions, fromJson, toJson, withoutMissing } from './wrap/module/conversion.js'
export type { Instances } from './wrap/module/parts.js'
export type { ModulePlan, ModulePlanOptions, PlannedTool } from './wrap/module/plan.js'
export { planModule, type WrapModuleOptions, wrapModule } from './wrap/module/wrap-module.js'
export { checkKit, type KitCheck, type WriteKitOptions, writeKit } from './wrap/module/write-kit.js'
