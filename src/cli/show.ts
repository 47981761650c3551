import { Command } from 'commander'
import type { Kit } from '../kit/kit.js'
import { readCatalogue } from '../link/catalogue.js'
import type { Link } from '../link/link.js'
import { catalogueText } from './catalogue-text.js'
import { out, outJson } from './output.js'
import { type TargetFlags, targetOptions, withLink, withTarget } from './target-options.js'

export const show = () =>
  withTarget(
    new Command('show')
      .description('Shows what a server offers, as a person reads it.')
      .argument('<target>', 'kit file, URL, exec:<command line>, or <config file>#<entry>')
      .option('--json', 'the definitions as JSON')
      .addHelpText('after', '\nExample: jexo show apiary.kit.ts'),
  ).action(async (target: string, flags: TargetFlags & { json?: boolean }) => {
    const environment = { ...process.env, ...targetOptions(flags).env }
    const look = async (link: Link, kit: Kit | undefined) => {
      const catalogue = await readCatalogue(link)
      const { serverInfo, revision, capabilities, instructions } = link
      const settings = Object.entries(kit?.settings ?? {}).map(([name, declared]) => ({ name, ...declared }))
      if (flags.json) return outJson({ serverInfo, revision, capabilities, instructions, ...catalogue, settings })
      out(catalogueText(link, catalogue))
      const isMissing = ({ name, default: otherwise, optional }: (typeof settings)[number]) =>
        !environment[name] && otherwise === undefined && !optional
      const lines = settings.map(
        (setting) => `  ${setting.name}  ${setting.about}${isMissing(setting) ? '  (needed, not set)' : ''}`,
      )
      if (lines.length > 0) out(`\nSettings\n${lines.join('\n')}`)
    }
    // A kit can be looked at before anybody has its keys.
    await withLink(target, flags, look, { toleratesMissing: true })
  })
