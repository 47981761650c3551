import { Command } from 'commander'
import { readCatalogue } from '../link/catalogue.js'
import { catalogueText } from './catalogue-text.js'
import { out, outJson } from './output.js'
import { type TargetFlags, withLink, withTarget } from './target-options.js'

export const show = () =>
  withTarget(
    new Command('show')
      .description('Shows what a server offers, as a person reads it.')
      .argument('<target>', 'kit file, URL, exec:<command line>, or <config file>#<entry>')
      .option('--json', 'the definitions as JSON')
      .addHelpText('after', '\nExample: jexo show apiary.kit.ts'),
  ).action(async (target: string, flags: TargetFlags & { json?: boolean }) => {
    await withLink(target, flags, async (link, kit) => {
      const catalogue = await readCatalogue(link)
      const { serverInfo, revision, capabilities, instructions } = link
      const settings = Object.entries(kit?.settings ?? {}).map(([name, declared]) => ({ name, ...declared }))
      if (flags.json) return outJson({ serverInfo, revision, capabilities, instructions, ...catalogue, settings })
      out(catalogueText(link, catalogue))
      if (settings.length > 0)
        out(`\nSettings\n${settings.map(({ name, about }) => `  ${name}  ${about}`).join('\n')}`)
    })
  })
