import { Command } from 'commander'
import { type TargetFlags, withLink, withTarget } from '../options/target-options.js'
import { colours, out, outJson, say } from '../terminal/output.js'
import { contentsText } from '../text/result-text.js'
import { verbTexts } from '../text/verb-texts.js'

export const read = () =>
  withTarget(
    new Command('read')
      .description(verbTexts.read.about)
      .argument('<target>', 'kit file, URL, exec:<command line>, or <config file>#<entry>')
      .argument('<uri>', 'URI of the resource')
      .option('--json', 'print the result as JSON')
      .addHelpText('after', '\nExample: jexo read apiary.kit.ts apiary://hives/ML-04'),
  ).action(async (target: string, uri: string, flags: TargetFlags & { json?: boolean }) => {
    const result = await withLink(target, flags, (link) => link.read(uri))
    if (flags.json) return outJson(result)
    for (const contents of result.contents) {
      if (result.contents.length > 1) say(colours.dim(`${contents.uri}  ${contents.mimeType ?? ''}`))
      out(contentsText(contents))
    }
  })
