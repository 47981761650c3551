import { writeFile } from 'node:fs/promises'
import { Command } from 'commander'
import { kitErrors } from '../../kit/errors.js'
import type { Link } from '../../link/link.js'
import { forModel } from '../../protocol/ui.js'
import { renderHtml } from '../../rehearse/page.js'
import { checkTools, readQuestions } from '../../rehearse/questions.js'
import { type RehearsalReport, rehearse, standInWarning } from '../../rehearse/rehearse.js'
import { type TargetFlags, withLink, withTarget } from '../options/target-options.js'
import {
  colours,
  columns,
  errorColours,
  Failed,
  out,
  outJson,
  say,
  sayProgress,
  wrapped,
} from '../terminal/output.js'
import { verbTexts } from '../text/verb-texts.js'

interface Flags extends TargetFlags {
  model?: string
  modelName?: string
  html?: string
  json?: boolean
  atLeast?: string
  layers?: boolean
}

export const rehearseCommand = () =>
  withTarget(
    new Command('rehearse')
      .description(verbTexts.rehearse.about)
      .argument('<target>', 'kit file, URL, exec:<command line>, or <config file>#<entry>')
      .argument('<questions>', 'file of questions (*.questions.yaml)')
      .option('--model <url>', 'use a chat endpoint with function calling; set its key in JEXO_MODEL_KEY')
      .option('--model-name <name>', 'model of that endpoint')
      .option('--at-least <share>', 'share of questions that must be correct, from 0 to 1', '1')
      .option('--html <file>', 'also write the report as an HTML page')
      .option('--no-layers', 'run the kit without its layers')
      .option('--json', 'print the report as JSON')
      .addHelpText('after', '\nExample: jexo rehearse apiary.kit.ts apiary.questions.yaml --html rehearsal.html'),
  ).action(async (target: string, file: string, flags: Flags) => {
    const questions = await readQuestions(file)
    const share = Number(flags.atLeast)
    if (!(share >= 0 && share <= 1)) throw kitErrors.argumentUnreadable('--at-least', 'a share from 0 to 1')
    const withoutLayers = flags.layers === false
    const ask = async (link: Link) => {
      const tools = forModel(await link.tools())
      checkTools(
        file,
        questions,
        tools.map(({ name }) => name),
      )
      const report = await rehearse(tools, questions, {
        url: flags.model,
        model: flags.modelName,
        key: process.env.JEXO_MODEL_KEY,
        onQuestion: (done, all) => {
          if (flags.model) sayProgress(`question ${done + 1} of ${all}`)
        },
      })
      return { server: link.serverInfo.title ?? link.serverInfo.name, report }
    }
    const { report, server } = await withLink(target, flags, ask, { withoutLayers })
    if (flags.html !== undefined) await writeFile(flags.html, renderHtml(report, server))
    if (flags.json) outJson(report)
    else print(report)
    const misread = report.questions.filter(({ misread }) => misread.length > 0).length
    if (report.right - misread < share * questions.length) throw new Failed()
  })

function print({ questions, right, confusions, by }: RehearsalReport): void {
  for (const { ask, expected, picked, isRight, margin, ranking, misread } of questions) {
    const mark = isRight ? colours.green('✓') : colours.red('✗')
    out(`${mark} ${ask}`)
    const next = ranking[1] ? colours.dim(`, ${Math.round(margin * 100)} % ahead of ${ranking[1].tool}`) : ''
    out(`    ${isRight ? picked : `${colours.red(picked)}, expected ${expected}`}${isRight ? next : ''}`)
    for (const line of misread) out(`    ${colours.red(line)}`)
  }
  for (const { expected, picked, questions: asked, add, stolenBy } of confusions) {
    const times = asked.length === 1 ? 'once' : `${asked.length} times`
    out(`\n${colours.bold(picked)} is picked ${times} instead of ${colours.bold(expected)}`)
    if (add.length > 0) out(`  words of the questions that ${expected} lacks: ${add.join(', ')}`)
    if (stolenBy.length > 0) out(`  words of the questions in ${picked}: ${stolenBy.join(', ')}`)
  }
  say(`\n${right} of ${questions.length} picked the expected tool, using ${by}`)
  if (by === 'the stand-in') for (const line of wrapped(standInWarning, columns())) say(errorColours.dim(line))
}
