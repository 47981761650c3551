/**
 * For tests of kits with any test runner: in-memory links with replaced connections, scripted users and models, a fake clock, matchers, and cases.
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
