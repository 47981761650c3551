import { writeFile } from 'node:fs/promises'
import { Command } from 'commander'
import type { CaseReport } from '../../replay/case.js'
import type { Coverage } from '../../replay/coverage.js'
import { replayErrors } from '../../replay/errors.js'
import { toJUnit } from '../../replay/junit.js'
import type { ReplayOptions } from '../../replay/run-case.js'
import { runCases } from '../../replay/run-cases.js'
import { saveTape } from '../../replay/save-tape.js'
import { watchCases } from '../../replay/watch-cases.js'
import { untilSignal } from '../../serve/serve-kit.js'
import { readMs, type TargetFlags, targetOptions, withReach } from '../options/target-options.js'
import {
  colours,
  columns,
  errorColours,
  Failed,
  out,
  outJson,
  say,
  whileWaiting,
  wrapped,
} from '../terminal/output.js'
import { verbTexts } from '../text/verb-texts.js'
import { reviewUpdates } from './replay-update.js'

interface Flags extends TargetFlags {
  target?: string
  update?: boolean
  watch?: boolean
  coverage?: boolean
  save?: string
  json?: boolean
  junit?: string
  layers?: boolean
}

export const replay = () =>
  withReach(
    new Command('replay')
      .description(verbTexts.replay.about)
      .argument('<cases...>', 'case files or folders of them (*.case.yaml); with --save: tapes')
      .option('--target <target>', 'run the cases against this target instead of their own')
      .option('--update', 'accept the received results as expected; on a terminal, confirm each case')
      .option('--watch', 'run again when a case or the kit changes')
      .option('--coverage', 'list uncovered parts')
      .option('--save <folder>', 'create cases from tapes: one per session, with its calls as steps')
      .option('--json', 'print the reports as JSON')
      .option('--no-layers', 'run the kit without its layers')
      .option('--junit <file>', 'also write the reports as JUnit XML'),
  )
    .option('--timeout <ms>', 'time limit of a step, in milliseconds')
    .option('--revision <date>', 'protocol revision to request, such as 2025-06-18')
    .addHelpText(
      'after',
      `
Example: jexo replay cases/
         jexo replay cases/ --target https://hives.example/mcp
         jexo replay hives.tape.jsonl --save cases/ --target hives.kit.ts`,
    )
    .action(async (words: string[], flags: Flags) => {
      if (flags.save !== undefined) return saveTapes(words, flags.save, flags.target)
      const [tape] = words.filter((word) => word.endsWith('.tape.jsonl'))
      if (tape !== undefined)
        throw replayErrors.caseUnreadable(
          tape,
          'it is a tape, not a case; create cases from it with --save <folder>',
        )
      const given = targetOptions(flags)
      Object.assign(process.env, given.env)
      const options: ReplayOptions = {
        ...given,
        ...(flags.target === undefined ? {} : { target: flags.target }),
        ...(flags.timeout === undefined ? {} : { timeoutMs: readMs(flags.timeout) }),
        ...(flags.revision === undefined ? {} : { revision: flags.revision }),
        ...(flags.layers === false ? { withoutLayers: true } : {}),
      }
      if (!flags.watch) return run(words, flags, options)
      await runWatched(words, flags, options)
      const stop = await watchCases(words, async () => {
        say(errorColours.dim(`\n${new Date().toLocaleTimeString('en-GB')}: something changed`))
        await runWatched(words, flags, { ...options, isAgain: true })
      })
      say(errorColours.dim('watching the cases and their targets; press Ctrl-C to stop'))
      await untilSignal()
      await stop()
    })

async function run(words: readonly string[], flags: Flags, options: ReplayOptions): Promise<void> {
  const { reports, coverage } = await whileWaiting('running the cases', () => runCases(words, options))
  if (flags.junit !== undefined) await writeFile(flags.junit, toJUnit(reports))
  if (flags.json) outJson(flags.coverage ? { cases: reports, coverage } : reports)
  else for (const report of reports) print(report)
  if (coverage && flags.coverage && !flags.json) printCoverage(coverage)
  const failed = reports.filter(({ ok }) => !ok)
  if (flags.update) return reviewUpdates(failed)
  const count = (number: number) => (number === 1 ? '1 case' : `${number} cases`)
  say(
    failed.length === 0
      ? errorColours.green(`${count(reports.length)} as expected`)
      : errorColours.red(`${count(failed.length)} of ${reports.length} not as expected`),
  )
  if (coverage) say(errorColours.dim(coverageLine(coverage, flags.coverage === true)))
  if (failed.length > 0) throw new Failed()
}

/** While watching, failing and unreadable cases are reported, and the watch continues. */
async function runWatched(words: readonly string[], flags: Flags, options: ReplayOptions): Promise<void> {
  try {
    await run(words, flags, options)
  } catch (error) {
    if (!(error instanceof Failed)) say(`${errorColours.red('error')} ${(error as Error).message}`)
  }
}

async function saveTapes(tapes: readonly string[], folder: string, target: string | undefined): Promise<void> {
  for (const tape of tapes)
    for (const saved of await saveTape(tape, folder, target)) {
      out(saved.file)
      say(
        `${saved.steps === 1 ? '1 step' : `${saved.steps} steps`}${saved.unanswered > 0 ? `; ${saved.unanswered} calls have no result on the tape` : ''}`,
      )
      if (saved.target === undefined) say('The case has no target: add one, or pass --target.')
    }
}

function print({ file, ok, problem, steps, durationMs }: CaseReport): void {
  out(
    `${ok ? colours.green('✓') : colours.red('✗')} ${file}  ${colours.dim(`${steps.length === 1 ? '1 step' : `${steps.length} steps`}, ${durationMs} ms`)}`,
  )
  if (problem !== undefined) out(`    ${problem}`)
  for (const [at, { label, differences }] of steps.entries())
    for (const difference of differences) out(`    step ${at + 1}, ${label}: ${difference}`)
}

function coverageLine({ parts, branches, refusals }: Coverage, isShown: boolean): string {
  const share = ({ all, without }: Coverage['parts'], what: (share: string) => string) =>
    all === 0 ? [] : [what(`${all - without.length} of ${all}`)]
  const shares = [
    ...share(parts, (some) => `${some} parts`),
    ...share(branches, (some) => `${some} choices in their inputs`),
    ...share(refusals, (some) => `refusals of ${some} tools`),
  ]
  return `covered: ${shares.join(', ')}${isShown ? '' : '; list the rest with --coverage'}`
}

function printCoverage({ parts, branches, refusals }: Coverage): void {
  const lists = [
    ['no case for', parts.without],
    ['no case with', branches.without],
    ['no case in which the tool refuses', refusals.without],
  ] as const
  for (const [what, names] of lists) {
    if (names.length === 0) continue
    out(colours.bold(what))
    for (const line of wrapped(names.join('; '), columns() - 2)) out(`  ${line}`)
  }
}
