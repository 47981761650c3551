import { readFile } from 'node:fs/promises'
import { resolve } from 'node:path'
import { Command } from 'commander'
import { tokensOf } from '../../context-cost/context-cost.js'
import { kitErrors } from '../../kit/errors.js'
import type { Kit } from '../../kit/kit.js'
import { layersAround } from '../../kit/layers-around.js'
import { keyOf } from '../../kit/part.js'
import type { Setting } from '../../kit/settings.js'
import { shownPath } from '../../kit-file/kit-file.js'
import { type Catalogue, readCatalogue } from '../../link/catalogue.js'
import type { Link } from '../../link/link.js'
import { forModel } from '../../protocol/ui.js'
import { readTape } from '../../tape/read.js'
import { readTarget } from '../../target/target.js'
import { moduleErrors } from '../../wrap/module/errors.js'
import { type TargetFlags, targetOptions, withLink, withTarget } from '../options/target-options.js'
import { colours, columns, out, outJson } from '../terminal/output.js'
import { catalogueText } from '../text/catalogue-text.js'
import { ScoreText } from '../text/score-text.js'
import { verbTexts } from '../text/verb-texts.js'

/** Cost of the tools in a model's context, in tokens. */
const contextCost = ({ tools }: Catalogue) =>
  tokensOf(
    forModel(tools).map(({ name, description = '', inputSchema }) => ({
      name,
      about: description,
      input: inputSchema,
    })),
  )

/** A tape is shown as its score. */
async function showTape(file: string, isJson: boolean): Promise<void> {
  const entries = readTape(shownPath(resolve(file)), await textOf(file))
  if (isJson) return outJson(entries)
  const score = new ScoreText({ width: columns(), colours })
  out([score.head, ...entries.flatMap((entry) => score.add(entry) ?? [])].join('\n'))
}

async function textOf(file: string): Promise<string> {
  try {
    return await readFile(file, 'utf8')
  } catch (error) {
    throw moduleErrors.sourceUnreadable(
      shownPath(resolve(file)),
      (error as NodeJS.ErrnoException).code ?? String(error),
    )
  }
}

export const show = () =>
  withTarget(
    new Command('show')
      .description(verbTexts.show.about)
      .argument('<target>', 'kit file, URL, exec:<command line>, <config file>#<entry>, or a tape')
      .option('--layers', 'print the layers around each part of a kit, outermost first')
      .option('--json', 'print the definitions as JSON')
      .addHelpText('after', '\nExample: jexo show apiary.kit.ts'),
  ).action(async (target: string, flags: TargetFlags & { json?: boolean; layers?: boolean }) => {
    const found = await readTarget(target, targetOptions(flags))
    if (found.kind === 'tape') return showTape(found.file, flags.json === true)
    const environment = { ...process.env, ...targetOptions(flags).env }
    const look = async (link: Link, kit: Kit | undefined) => {
      if (flags.layers) return showLayers(target, kit, flags.json === true)
      const catalogue = await readCatalogue(link)
      const { serverInfo, revision, capabilities, instructions } = link
      const settings = Object.entries(kit?.settings ?? {}).map(([name, declared]) => ({ name, ...declared }))
      if (flags.json) return outJson({ serverInfo, revision, capabilities, instructions, ...catalogue, settings })
      out(catalogueText(link, catalogue, await contextCost(catalogue)))
      const isMissing = ({ name, default: otherwise, optional }: (typeof settings)[number]) =>
        !environment[name] && otherwise === undefined && !optional
      const lines = settings.map(
        (setting) => `  ${setting.name}  ${setting.about}  (${stateOf(setting, isMissing(setting))})`,
      )
      if (lines.length > 0) out(`\nSettings\n${lines.join('\n')}`)
    }
    // A kit can be inspected without its required settings.
    await withLink(target, flags, look, { toleratesMissing: true, needsKit: true })
  })

/** Only kits have layers; a server does not reveal any. */
function showLayers(target: string, kit: Kit | undefined, isJson: boolean): void {
  if (!kit)
    throw kitErrors.argumentUnreadable(`the target ${target}`, 'a kit file: servers do not list their layers')
  const parts = kit.parts.map((part) => ({
    part: `${part.kind} ${keyOf(part)}`,
    layers: layersAround(part, kit.layers).map(({ name }) => name),
  }))
  if (isJson) return outJson(parts)
  const width = Math.max(...parts.map(({ part }) => part.length))
  for (const { part, layers } of parts)
    out(`${part.padEnd(width)}  ${layers.join(' → ') || colours.dim('no layers')}`)
}

/** The default of a setting; values of secrets are never printed. */
function stateOf({ default: otherwise, optional, secret }: Setting, isMissing: boolean): string {
  if (isMissing) return 'required, not set'
  if (otherwise !== undefined) return secret ? 'has a default' : `default: ${otherwise}`
  return optional ? 'optional' : 'set'
}
