/**
 * For tests of kits, with any test runner: links in memory with shared things replaced, persons and models by script, a clock that stands
 * still, matchers, and cases.
 * @module
 */
export type { Case, CaseReport, Expectation, StepReport } from './replay/case.js'
export { type ReplayOptions, runCase } from './replay/run-case.js'
export { type KitMatchers, kitMatchers } from './testing/kit-matchers.js'
export { openKit } from './testing/open-kit.js'
export { type ScriptedModel, type ScriptedPerson, scriptedModel, scriptedPerson } from './testing/scripted.js'
export { type StillClock, stillClock } from './testing/still-clock.js'
