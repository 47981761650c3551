/**
 * For tests of kits, with any test runner: links in memory with shared things replaced, persons and models by script, and cases.
 * @module
 */
export type { Case, CaseReport, Expectation, StepReport } from './replay/case.js'
export { type ReplayOptions, runCase } from './replay/run-case.js'
export { openKit } from './testing/open-kit.js'
export { type ScriptedModel, type ScriptedPerson, scriptedModel, scriptedPerson } from './testing/scripted.js'
