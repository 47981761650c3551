/**
 * Asks which tool would be picked; what `jexo rehearse` does, as functions.
 * @module
 */

export { type Choice, type Ranked, StandInPicker } from './models/keyword-picker.js'
export { pageOf } from './rehearse/page.js'
export { type Question, readQuestions } from './rehearse/questions.js'
export {
  type Confusion,
  type RehearsalReport,
  type Rehearsed,
  type RehearseOptions,
  rehearse,
  standInWarning,
} from './rehearse/rehearse.js'
