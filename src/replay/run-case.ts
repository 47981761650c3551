import { existsSync } from 'node:fs'
import { dirname, join, relative, resolve } from 'node:path'
import { isJexoError, messageOf } from '../errors.js'
import { answersFrom } from '../link/answerers.js'
import type { Link } from '../link/link.js'
import type { Answerer } from '../link/server-requests.js'
import { standInModel } from '../models/stand-in-model.js'
import { protocolErrors } from '../protocol/errors.js'
import { isObject } from '../protocol/messages.js'
import { RpcError } from '../protocol/rpc-error.js'
import { openTarget, readTarget, type TargetOptions } from '../target/target.js'
import { type Case, type CaseReport, type CaseStep, labelOfStep, type Outcome, type StepReport } from './case.js'
import { textOf } from './case-file.js'
import { differencesOf } from './compare.js'
import { replayErrors } from './errors.js'
import { readCase } from './read-case.js'
import { filled, maskValues, valueAt } from './values.js'

export interface ReplayOptions extends TargetOptions {
  /** Overrides the target of the case. */
  target?: string
  /** Time limit of a step in milliseconds. Default: 60,000. */
  timeoutMs?: number
  revision?: string
  /** Called with each link before its steps are run. */
  onOpen?: (link: Link) => Promise<void>
}

/** Runs the steps of a case file against its target. Does not reject: problems are part of the report. */
export async function runCase(file: string, options: ReplayOptions = {}): Promise<CaseReport> {
  const startedAt = performance.now()
  const report: CaseReport = { file, ok: false, steps: [], durationMs: 0 }
  try {
    const read = await readCase(file)
    const asked = { answerer: undefined as Answerer | undefined }
    const link = await openFor(read, options, asked)
    try {
      await options.onOpen?.(link)
      report.steps = await runSteps(read, link, asked, options.timeoutMs)
    } finally {
      await link.close()
    }
    report.ok =
      report.steps.length === read.steps.length && report.steps.every(({ differences }) => differences.length === 0)
  } catch (error) {
    report.problem = messageOf(error)
  }
  report.durationMs = Math.round(performance.now() - startedAt)
  return report
}

/** Runs the steps of a case over an open link. `asked` answers questions of the server during that time. */
export async function runSteps(
  { steps, mask }: Pick<Case, 'steps' | 'mask'>,
  link: Link,
  asked: { answerer: Answerer | undefined },
  timeoutMs = 60_000,
): Promise<StepReport[]> {
  const kept = new Map<string, unknown>()
  const masked = maskValues(mask)
  const durations: number[] = []
  const reports: StepReport[] = []
  for (const given of steps) {
    const step = filled(given, kept)
    const unanswered: string[] = []
    asked.answerer = answersFrom(step.answers ?? [], (message) => unanswered.push(message))
    const outcome = await outcomeOf(link, step, timeoutMs)
    durations.push(outcome.durationMs)
    const differences = await differencesOf(step.expect, outcome, durations, masked)
    for (const message of unanswered)
      if (differences.length > 0) differences.push(`the server asked, and no answer matches: ${message}`)
    for (const [name, pointer] of Object.entries(step.keep ?? {})) {
      const value = valueAt({ structured: outcome.structured, text: outcome.text }, pointer)
      if (value === undefined) differences.push(`keep ${name}: there is nothing at ${pointer}`)
      else kept.set(name, value)
    }
    reports.push({ label: labelOfStep(given), step, differences, outcome })
    // Later steps would fail for the same reason.
    if (differences.length > 0) break
  }
  return reports
}

async function outcomeOf(link: Link, step: CaseStep, timeoutMs: number): Promise<Outcome> {
  const startedAt = performance.now()
  // Progress extends the time limit of a request, but a step must end in any case.
  const signal = AbortSignal.timeout(timeoutMs)
  const over = (outcome: Omit<Outcome, 'durationMs'>): Outcome => ({
    ...outcome,
    durationMs: Math.round((performance.now() - startedAt) * 10) / 10,
  })
  try {
    if (step.call !== undefined) {
      const { content, structuredContent, isError } = await link.call(step.call, step.with ?? {}, { signal })
      const text = textOf(content)
      if (isError) return over({ text: '', failure: text })
      return over({ text, ...(isObject(structuredContent) ? { structured: structuredContent } : {}) })
    }
    if (step.read !== undefined) return over({ text: textOf((await link.read(step.read, { signal })).contents) })
    const { messages } = await link.fill(step.fill ?? '', (step.with ?? {}) as Record<string, string>, { signal })
    return over({ text: textOf(messages.map(({ content }) => content)) })
  } catch (caught) {
    const error = signal.aborted ? protocolErrors.requestTimedOut(labelOfStep(step), timeoutMs) : caught
    if (error instanceof RpcError) return over({ text: '', error: { code: error.code, message: error.message } })
    if (isJexoError(error)) return over({ text: '', error: { code: error.code, message: error.message } })
    throw error
  }
}

async function openFor(
  { file, target }: Case,
  { target: other, timeoutMs = 60_000, revision, onOpen: _, ...options }: ReplayOptions,
  asked: { answerer: Answerer | undefined },
): Promise<Link> {
  const named = other ?? target
  if (named === undefined) throw replayErrors.caseUnreadable(file, 'it has no target')
  const found = await readTarget(other ?? nearestTo(file, named), options)
  const { link } = await openTarget(found, {
    ...options,
    timeoutMs,
    ...(revision === undefined ? {} : { revision }),
    onQuestion: (question) => asked.answerer?.(question) ?? { action: 'cancel' },
    onModelRequest: standInModel,
    onStderr: () => {},
  })
  return link
}

/** The path of a kit was recorded relative to this folder, or to a parent folder of the case. */
function nearestTo(file: string, target: string): string {
  if (/^\w+:/.test(target) || existsSync(target)) return target
  for (let folder = dirname(resolve(file)); ; folder = dirname(folder)) {
    const path = target.replace(/#[^#]*$/, '')
    if (existsSync(join(folder, path))) return relative(process.cwd(), join(folder, target)) || target
    if (folder === dirname(folder)) return target
  }
}
