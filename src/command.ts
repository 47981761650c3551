/** Wraps command-line programs: described calls become tools. */
export { JexoError } from './errors.js'
export type { CommandDescription, DescribedArgument, DescribedCommand } from './wrap/command/description.js'
export type { CommandPlan, CommandPlanOptions, PlannedProgramCall } from './wrap/command/plan.js'
export { planCommand, type WrapCommandOptions, wrapCommand } from './wrap/command/wrap-command.js'
