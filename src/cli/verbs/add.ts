import { readdirSync } from 'node:fs'
import { Command } from 'commander'
import { kitFileErrors } from '../../kit-file/errors.js'
import { knownSource } from '../../wrap/detect/source-kind.js'
import { kitWriterErrors } from '../../wrap/kit-writer/errors.js'
import { addPreview } from '../../wrap/preview/add-preview.js'
import { previewSource } from '../../wrap/preview/preview.js'
import {
  labelOf,
  optionsFor,
  readingOptions,
  type SourceFlags,
  sourceText,
  withSourceOptions,
} from '../options/source-options.js'
import { out, say, whileWaiting } from '../terminal/output.js'
import { planText } from '../text/plan-text.js'
import { verbTexts } from '../text/verb-texts.js'

interface Flags extends SourceFlags {
  to?: string
}

export const add = () =>
  withSourceOptions(new Command('add').description(verbTexts.add.about).argument('<source>', sourceText))
    .option('--to <file>', 'kit file; default: the only one in this folder')
    .addHelpText(
      'after',
      '\nExamples: jexo add ledger.sqlite --to apiary.kit.ts\n          jexo add "exec:node old-server.mjs" --prefix old_',
    )
    .action(async (given: string, flags: Flags) => {
      const kitFile = flags.to ?? onlyKit()
      const known = knownSource(given, flags.kind)
      const label = labelOf(known.source)
      const preview = await whileWaiting(`planning ${label}`, () =>
        readingOptions(known, flags).then((reading) => previewSource(known, optionsFor(known, flags), reading)),
      )
      if (preview.isEmpty) throw kitWriterErrors.wrapTakesNothing(label, '')
      await addPreview(kitFile, { known, label, preview })
      out(await planText(preview, label))
      for (const other of preview.written?.(kitFile) ?? []) say(`\nEdit ${other}, which describes the calls.`)
      say(`\nAdded ${label} to ${kitFile}   (try it: jexo show ${kitFile})`)
    })

/** The kit file of this folder. Throws a `JexoError` if there is none, or more than one. */
function onlyKit(): string {
  const found = readdirSync('.').filter((name) => /^[^.].*\.kit\.m?[jt]s$/.test(name))
  const [kit, ...others] = found
  if (kit === undefined) throw kitFileErrors.kitFileMissing('*.kit.ts')
  if (others.length > 0) throw kitFileErrors.severalKitFiles(found)
  return kit
}
