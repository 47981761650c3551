import { realpathSync, statSync } from 'node:fs'
import { basename } from 'node:path'
import { fileURLToPath } from 'node:url'
import { kitErrors } from '../../kit/errors.js'
import type { Part } from '../../kit/part.js'
import { shared } from '../../kit/shared.js'
import type { JsonObject } from '../../protocol/messages.js'
import { programEnvironment } from '../command/environment.js'
import { frozenOr } from '../source/frozen.js'
import { filesAmong, type ProgramWord, wordMarks, wordText } from '../source/program-words.js'
import { wrapRegistry } from '../source/registry.js'
import { processPartsOf } from './parts.js'
import { type ProcessPlan, type ProcessPlanOptions, planFunctions } from './plan.js'
import { type ProcessRun, Worker } from './worker.js'
import { Workers } from './workers.js'

/** The command that starts a program. Give files, such as scripts, as URLs. */
export interface ProcessCommand {
  readonly command: ProgramWord
  readonly args?: readonly ProgramWord[]
  /** Working folder: `URL` or absolute path. Default: the current folder. */
  readonly cwd?: URL | string
}
export interface WrapProcessOptions extends ProcessPlanOptions {
  /** Variables for the program, in addition to `PATH`, `HOME`, `LANG` and `TMPDIR`. A list of names copies their values from this process. */
  readonly env?: Readonly<Record<string, string>> | readonly string[]
  /** User and group of the process, by number; only root can change them. */
  readonly uid?: number
  readonly gid?: number
  /** Maximum number of copies that run at a time, for programs that answer one call at a time. Default: 1. */
  readonly processes?: number
  /** Time limit of a call, in milliseconds. Default: 60,000. */
  readonly timeoutMs?: number
  /** Time limit until the description arrives, in milliseconds. Default: 30,000. */
  readonly startTimeoutMs?: number
  /** Maximum length of a reply, in bytes. Default: 1,000,000. */
  readonly maxBytes?: number
}

/**
 * Turns functions of a program in any language into tools. The program prints a description of its tools as its first line. Then it reads one
 * call per line, `{"id": 1, "call": "count", "input": {…}}`, and writes `{"id": 1, "output": …}` or `{"id": 1, "error": "…"}`.
 * Jexo starts it at the first call and restarts it if it ends, without a shell and with a small environment.
 *
 * Rejects with a `JexoError` if the program cannot be started, its description is wrong, or a name chooses nothing.
 *
 * @example parts: await wrapProcess({ command: 'python3', args: [new URL('./frames.py', import.meta.url)] })
 */
export async function wrapProcess(command: ProcessCommand, options: WrapProcessOptions = {}): Promise<Part[]> {
  const run = runOf(command, options)
  const { processes = 1 } = options
  if (!Number.isInteger(processes) || processes < 1 || processes > 64)
    throw kitErrors.partField('the wrapped program', 'processes', 'a whole number from 1 to 64')
  const plan = await planProcess(command, options)
  const workers = shared(
    ({ report }) => new Workers({ run, processes, report }),
    (opened: Workers) => opened.close(),
  )
  return processPartsOf(plan, workers)
}

/** Returns the plan, as `jexo wrap` shows it: starts the program, reads its description, and ends it. */
export function planProcess(command: ProcessCommand, options: WrapProcessOptions = {}): Promise<ProcessPlan> {
  const { only, except, prefix, tags } = options
  const planOptions = {
    ...(only ? { only } : {}),
    ...(except ? { except } : {}),
    ...(prefix === undefined ? {} : { prefix }),
    ...(tags ? { tags } : {}),
  }
  return frozenOr('process', { words: wordMarks(wordsOf(command)) }, planOptions as JsonObject, async () => {
    for (const file of filesAmong(wordsOf(command))) wrapRegistry().onSource?.(file)
    const run = runOf(command, options)
    const worker = new Worker({ ...run, onLine: () => {} })
    try {
      return planFunctions(labelOf(command), await worker.description, planOptions)
    } finally {
      await worker.close()
    }
  })
}

const defaults = { timeoutMs: 60_000, startTimeoutMs: 30_000, maxBytes: 1_000_000 }

function runOf(command: ProcessCommand, options: WrapProcessOptions): Omit<ProcessRun, 'onLine'> {
  if (!(command?.command instanceof URL) && (typeof command?.command !== 'string' || command.command === ''))
    throw kitErrors.partField(
      'the wrapped program',
      'command',
      "a program, as in { command: 'python3', args: […] }",
    )
  const { env = {}, uid, gid, timeoutMs, startTimeoutMs, maxBytes } = options
  const { cwd = process.cwd() } = command
  const folder = cwd instanceof URL ? fileURLToPath(cwd) : cwd
  if (!statSync(folder, { throwIfNoEntry: false })?.isDirectory())
    throw kitErrors.partField('the wrapped program', 'cwd', `a folder that exists, not ${folder}`)
  return {
    program: wordText(command.command),
    args: (command.args ?? []).map(wordText),
    cwd: realpathSync(folder),
    // Python buffers its output otherwise.
    env: { PYTHONUNBUFFERED: '1', ...programEnvironment(env) },
    uid,
    gid,
    timeoutMs: timeoutMs ?? defaults.timeoutMs,
    startTimeoutMs: startTimeoutMs ?? defaults.startTimeoutMs,
    maxBytes: maxBytes ?? defaults.maxBytes,
  }
}

const wordsOf = ({ command, args = [] }: ProcessCommand): ProgramWord[] => [command, ...args]

/** Label in plans and errors: the program and its first file. */
function labelOf(command: ProcessCommand): string {
  const [file] = filesAmong(wordsOf(command))
  const names = [wordText(command.command), ...(file === undefined ? [] : [file])].map((one) => basename(one))
  return [...new Set(names)].join(' ')
}
