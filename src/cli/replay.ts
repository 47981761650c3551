import { writeFile } from 'node:fs/promises'
import { availableParallelism } from 'node:os'
import { Command } from 'commander'
import pLimit from 'p-limit'
import type { CaseReport } from '../replay/case.js'
import { findCases } from '../replay/find-cases.js'
import { junitOf } from '../replay/junit.js'
import { type ReplayOptions, runCase } from '../replay/run-case.js'
import { updatedCase, writeCase } from '../replay/update-case.js'
import { colours, Failed, out, outJson, say } from './output.js'
import { gather, readMs, type TargetFlags, targetOptions } from './target-options.js'

interface Flags extends TargetFlags {
  target?: string
  update?: boolean
  json?: boolean
  junit?: string
}

export const replay = () =>
  new Command('replay')
    .description('Runs recorded cases, and says what is not as expected.')
    .argument('<cases...>', 'case files, or folders of them (*.case.yaml)')
    .option('--target <target>', 'run them against this instead of what they name')
    .option('--update', 'write what came as what is expected, and show what changes')
    .option('--json', 'the reports as JSON')
    .option('--junit <file>', 'write the reports as JUnit XML too')
    .option('--header <name: value>', 'send a header with every request (again for more)', gather)
    .option('--env <NAME=value>', 'set a variable for the kit or command (again for more)', gather)
    .option('--cwd <folder>', 'start a command in this folder')
    .option('--timeout <ms>', 'how long a step may take, in milliseconds')
    .option('--revision <date>', 'revision of the standard to ask for, such as 2025-06-18')
    .addHelpText(
      'after',
      '\nExample: jexo replay cases/\n         jexo replay cases/ --target https://hives.example/mcp',
    )
    .action(async (words: string[], flags: Flags) => {
      const given = targetOptions(flags)
      Object.assign(process.env, given.env)
      const options: ReplayOptions = {
        ...given,
        ...(flags.target === undefined ? {} : { target: flags.target }),
        ...(flags.timeout === undefined ? {} : { timeoutMs: readMs(flags.timeout) }),
        ...(flags.revision === undefined ? {} : { revision: flags.revision }),
      }
      const limit = pLimit(availableParallelism())
      const files = await findCases(words)
      const reports = await Promise.all(files.map((file) => limit(() => runCase(file, options))))
      if (flags.junit !== undefined) await writeFile(flags.junit, junitOf(reports))
      if (flags.json) outJson(reports)
      else for (const report of reports) print(report)
      const failed = reports.filter(({ ok }) => !ok)
      if (flags.update) return update(failed)
      const count = (number: number) => (number === 1 ? '1 case' : `${number} cases`)
      say(
        failed.length === 0
          ? colours.green(`${count(reports.length)} as expected`)
          : colours.red(`${count(failed.length)} of ${reports.length} not as expected`),
      )
      if (failed.length > 0) throw new Failed()
    })

function print({ file, ok, problem, steps, durationMs }: CaseReport): void {
  out(
    `${ok ? colours.green('✓') : colours.red('✗')} ${file}  ${colours.dim(`${steps.length === 1 ? '1 step' : `${steps.length} steps`}, ${durationMs} ms`)}`,
  )
  if (problem !== undefined) out(`    ${problem}`)
  for (const [at, { label, differences }] of steps.entries())
    for (const difference of differences) out(`    step ${at + 1}, ${label}: ${difference}`)
}

async function update(failed: readonly CaseReport[]): Promise<void> {
  let isStuck = false
  for (const report of failed) {
    const change = report.problem === undefined ? await updatedCase(report) : undefined
    if (!change) {
      isStuck = true
      continue
    }
    await writeCase(report.file, change.text)
    out(`${report.file} updated`)
    say(change.difference)
  }
  if (isStuck) throw new Failed()
}
