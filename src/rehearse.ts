/**
 * Checks which tool a model would pick: the functions of `jexo rehearse`.
 * @module
 */

export { type Choice, KeywordPicker, type Ranked } from './models/keyword-picker.js'
export { renderHtml } from './rehearse/page.js'
export { type Question, readQuestions } from './rehearse/questions.js'
export {
  type Confusion,
  type RehearsalReport,
  type Rehearsed,
  type RehearseOptions,
  rehearse,
  standInWarning,
} from './rehearse/rehearse.js'
