import type { ReadyAnswer } from '../link/answerers.js'
import type { JsonObject } from '../protocol/messages.js'

/** Expectations of a step; all of them must hold. */
export interface Expectation {
  /** Structured content: all given fields must match; it may contain others. */
  structured?: JsonObject
  /** Structured content, exactly. */
  exactly?: JsonObject
  /** A JSON Schema that the structured content must match. */
  schema?: JsonObject
  /** The text of all blocks. */
  text?: string
  /** Texts that it must contain. */
  contains?: string | string[]
  /** A regular expression that it must match. */
  pattern?: string
  /** Tool error: with this text, or (`true`) with any. */
  failure?: string | true
  /** The server refuses: a code, and a part of the message. */
  error?: { code?: number | string; message?: string }
  /** Maximum duration relative to another step of the same case; steps are numbered from 1. */
  duration?: { atMostTimes: number; ofStep: number }
}

export interface CaseStep {
  /** Exactly one of these three. */
  call?: string
  read?: string
  fill?: string
  with?: JsonObject
  answers?: ReadyAnswer[]
  /** Values for later steps, by name: JSON pointers into `{structured, text}`. Later steps use them as `${name}`. */
  keep?: Record<string, string>
  expect: Expectation
}

/** The content of a case file: recorded calls with their expectations. */
export interface Case {
  file: string
  target: string | undefined
  /** Values that differ between runs: names of fields, JSON pointers with `*`, or `/patterns/` in texts. */
  mask: readonly string[]
  steps: readonly CaseStep[]
}

/** The outcome of a step. */
export interface Outcome {
  structured?: JsonObject
  text: string
  failure?: string
  error?: { code: number | string; message: string }
  durationMs: number
}

export interface StepReport {
  label: string
  /** The step with stored values inserted. */
  step: CaseStep
  /** The failed expectations, one sentence each; empty if the step passes. */
  differences: string[]
  outcome: Outcome | undefined
}
export interface CaseReport {
  file: string
  ok: boolean
  /** Why the step could not be run. */
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
