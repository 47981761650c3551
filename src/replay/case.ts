import type { ReadyAnswer } from '../link/answerers.js'
import type { JsonObject } from '../protocol/messages.js'

/** What is expected of a step; all that is said has to hold. */
export interface Expectation {
  /** Structured content: every field that is written has to be there, others may be. */
  structured?: JsonObject
  /** Structured content, and nothing else in it. */
  exactly?: JsonObject
  /** A JSON Schema that structured content fits. */
  schema?: JsonObject
  /** The text of all blocks. */
  text?: string
  /** Texts that stand in it. */
  contains?: string | string[]
  /** A regular expression that it matches. */
  pattern?: string
  /** Tool error: with this text, or (`true`) with any. */
  failure?: string | true
  /** The server refuses: a code, and a part of the message. */
  error?: { code?: number | string; message?: string }
  /** How long it may take beside another step of the same case, counted from one. */
  duration?: { atMostTimes: number; ofStep: number }
}

export interface CaseStep {
  /** Exactly one of the three. */
  call?: string
  read?: string
  fill?: string
  with?: JsonObject
  answers?: ReadyAnswer[]
  /** Values to go on with, by name: JSON pointers into `{structured, text}`. `${name}` stands for them in later steps. */
  keep?: Record<string, string>
  expect: Expectation
}

/** Recorded calls with what is expected of them, as a case file has them. */
export interface Case {
  file: string
  target: string | undefined
  /** What changes from run to run: names of fields, JSON pointers with `*`, or `/patterns/` in texts. */
  mask: readonly string[]
  steps: readonly CaseStep[]
}

/** What came of a step. */
export interface Outcome {
  structured?: JsonObject
  text: string
  failure?: string
  error?: { code: number | string; message: string }
  durationMs: number
}

export interface StepReport {
  label: string
  /** The step with kept values in it. */
  step: CaseStep
  /** What is not as expected, a sentence each; empty if all is. */
  differences: string[]
  outcome: Outcome | undefined
}
export interface CaseReport {
  file: string
  ok: boolean
  /** Why it could not be run at all. */
  problem?: string
  steps: StepReport[]
  durationMs: number
}

export const labelOfStep = (step: CaseStep): string =>
  step.call !== undefined
    ? `call ${step.call}`
    : step.read !== undefined
      ? `read ${step.read}`
      : `fill ${step.fill}`
