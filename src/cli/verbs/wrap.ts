import { statSync } from 'node:fs'
import { Command } from 'commander'
import { kitErrors } from '../../kit/errors.js'
import { type KnownSource, knownSource } from '../../wrap/detect/source-kind.js'
import { kitWriterErrors } from '../../wrap/kit-writer/errors.js'
import { optionsOfKit } from '../../wrap/kit-writer/written-kit.js'
import { moduleErrors } from '../../wrap/module/errors.js'
import { type Preview, previewSource } from '../../wrap/preview/preview.js'
import { writePreviews } from '../../wrap/preview/write-previews.js'
import {
  labelOf,
  optionsFor,
  readingOptions,
  type SourceFlags,
  sourceText,
  withSourceOptions,
} from '../options/source-options.js'
import { Failed, out, outJson, say, whileWaiting } from '../terminal/output.js'
import { planText } from '../text/plan-text.js'
import { verbTexts } from '../text/verb-texts.js'

interface Flags extends SourceFlags {
  out?: string
  check?: boolean
  force?: boolean
  json?: boolean
}

export const wrap = () =>
  withSourceOptions(new Command('wrap').description(verbTexts.wrap.about).argument('<source...>', sourceText))
    .option('--out <file>', 'write a kit file')
    .option('--check', 'with --out: check whether the source changed since the kit was written')
    .option('--force', 'with --out: overwrite an edited kit')
    .option('--json', 'print the plan as JSON')
    .addHelpText(
      'after',
      [
        '\nExamples: jexo wrap colony.ts --out colony.kit.ts && jexo serve colony.kit.ts',
        '          jexo wrap registry.openapi.yaml --only "tag:hives" --out registry.kit.ts',
        '          jexo wrap README.md          (the curl lines in it)',
        '          jexo wrap ledger.sqlite --queries queries/ --out ledger.kit.ts',
        '          jexo wrap colony.ts ledger.sqlite fieldguide/ --out apiary.kit.ts',
      ].join('\n'),
    )
    .action(async (sources: string[], flags: Flags) => {
      if (flags.check && flags.out === undefined)
        throw kitErrors.argumentUnreadable('--check', '--out <kit file> as well')
      if (sources.length > 1) refuseChoices(flags)
      const previews: ReadSource[] = []
      let hasChanged = false
      for (const given of sources) {
        const known = knownSource(given, flags.kind)
        sayReading(known, labelOf(known.source), flags)
        if (flags.check && flags.out !== undefined)
          hasChanged = (await isChanged(known, flags.out, flags)) || hasChanged
        else previews.push(await read(known, flags))
      }
      if (hasChanged) throw new Failed()
      if (!flags.check) await finish(previews, flags)
    })

interface ReadSource {
  readonly known: KnownSource
  readonly label: string
  readonly preview: Preview
}

async function read(known: KnownSource, flags: Flags): Promise<ReadSource> {
  const label = labelOf(known.source)
  const preview = await whileWaiting(`planning ${label}`, () =>
    readingOptions(known, flags).then((reading) => previewSource(known, optionsFor(known, flags), reading)),
  )
  return { known, label, preview }
}

async function finish(previews: readonly ReadSource[], flags: Flags): Promise<void> {
  const empty = previews.find(({ preview }) => preview.isEmpty)
  if (flags.out !== undefined && !empty) writePreviews(flags.out, previews, flags.force === true)
  if (flags.json) {
    const plans = previews.map(({ preview }) => preview.plan)
    outJson(plans.length === 1 ? plans[0] : plans)
  } else for (const { preview, label } of previews) out(await planText(preview, label))
  if (empty) throw await emptyError(empty.preview, empty.label)
  const { out: file } = flags
  if (!flags.json)
    sayWritten(file, file === undefined ? [] : previews.flatMap(({ preview }) => preview.written?.(file) ?? []))
}

/** With several sources, such an option would apply to all of them. */
function refuseChoices(flags: Flags): void {
  const choices = [
    'kind',
    'only',
    'except',
    'name',
    'baseUrl',
    'settingPrefix',
    'operations',
    'queries',
    'templates',
    'methods',
  ] as const
  const given = choices.find((name) => flags[name] !== undefined)
  if (given === undefined) return
  const option = `--${given.replace(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`)}`
  throw kitWriterErrors.oneSource(option)
}

/** Large descriptions, slow servers and feeds take seconds. */
function sayReading({ kind, source }: KnownSource, label: string, flags: Flags): void {
  if (kind === 'feed' && source.startsWith('opc.tcp:')) say(`Browsing ${label} …`)
  else if (kind === 'feed') say(`Listening for ${flags.listen ?? 3000} ms …`)
  else if (/^https?:/.test(source) || (kind === 'openapi' && statSync(source).size > 4_000_000))
    say(`Reading ${label} …`)
}

/** Compares a kit with its source; the options are those it was written with. */
async function isChanged(known: KnownSource, kitFile: string, flags: Flags): Promise<boolean> {
  const label = labelOf(known.source)
  const options = optionsOfKit(kitFile, known)
  const preview = await previewSource(known, options, await readingOptions(known, flags))
  const changes = preview.changesSince(kitFile)
  if (changes.length === 0) {
    out(`${kitFile} is up to date with ${label}.`)
    return false
  }
  out(changes.join('\n'))
  say(`${label} has changed since ${kitFile} was written.`)
  return true
}

async function emptyError(preview: Preview, label: string): Promise<Error> {
  if (preview.form === 'module')
    return moduleErrors.wrapNothingLeft(
      label,
      preview.plan.skipped.map(({ name, reason }) => `${name} (${reason})`),
    )
  if (preview.form !== 'api') return kitWriterErrors.wrapTakesNothing(label, '')
  const { reasonsOf } = await import('../../wrap/http-api/reasons.js')
  return kitWriterErrors.wrapTakesNothing(label, reasonsOf(preview.plan))
}

function sayWritten(file: string | undefined, others: readonly string[]): void {
  for (const other of others) say(`\nEdit ${other}, which describes the calls.`)
  if (file === undefined) say('\nNothing was written. Write a kit file with --out <name>.kit.ts.')
  else say(`\nWrote ${file}   (try it: jexo show ${file})`)
}
