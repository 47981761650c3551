/**
 * For tests of kits, with any test runner: links in memory with shared things replaced, persons and models by script, a clock that stands
 * still, matchers, and cases.
 * @module
 */
export { kitFromTape, type TapeKitOptions } from './playback/kit-from-tape.js'
export type { PlaybackOptions } from './playback/recorded-server.js'
export type { Case, CaseReport, Expectation, StepReport } from './replay/case.js'
export { type ReplayOptions, runCase } from './replay/run-case.js'
export { type FakeClock, fakeClock } from './testing/fake-clock.js'
export { type KitMatchers, kitMatchers } from './testing/kit-matchers.js'
export { openKit } from './testing/open-kit.js'
export { type ScriptedModel, type ScriptedPerson, scriptedModel, scriptedPerson } from './testing/scripted.js'
