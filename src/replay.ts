/**
 * Runs recorded cases: the functions of `jexo replay`.
 * @module
 */
export type { Case, CaseReport, CaseStep, Expectation, Outcome, StepReport } from './replay/case.js'
export { type Coverage, coverageOf } from './replay/coverage.js'
export { findCases } from './replay/find-cases.js'
export { toJUnit } from './replay/junit.js'
export { readCase } from './replay/read-case.js'
export { type ReplayOptions, runCase } from './replay/run-case.js'
export { type SavedSession, saveTape } from './replay/save-tape.js'
