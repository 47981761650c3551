import { Command } from 'commander'
import type { PromptDefinition } from '../../protocol/types.js'
import { readArguments } from '../../target/arguments.js'
import { type TargetFlags, withLink, withTarget } from '../options/target-options.js'
import { colours, out, outJson } from '../terminal/output.js'
import { blockText } from '../text/result-text.js'
import { verbTexts } from '../text/verb-texts.js'

export const fill = () =>
  withTarget(
    new Command('fill')
      .description(verbTexts.fill.about)
      .argument('<target>', 'kit file, URL, exec:<command line>, or <config file>#<entry>')
      .argument('<prompt>', 'name of the prompt')
      .argument('[name=value...]', 'arguments of the prompt')
      .option('--json', 'print the result as JSON')
      .addHelpText(
        'after',
        '\nExample: jexo fill apiary.kit.ts inspection_letter member="Ada Fenn" site="Quarry Field"',
      ),
  ).action(async (target: string, name: string, words: string[], flags: TargetFlags & { json?: boolean }) => {
    const result = await withLink(target, flags, async (link) => {
      const known = (await link.prompts()).find((prompt) => prompt.name === name)
      return link.fill(name, readArguments(name, schemaOf(known), words) as Record<string, string>)
    })
    if (flags.json) return outJson(result)
    for (const { role, content } of result.messages) {
      out(colours.bold(role))
      out(blockText(content))
    }
  })

/** A prompt's arguments are all strings; one that is not known is left to the server to refuse. */
function schemaOf(prompt: PromptDefinition | undefined) {
  if (!prompt) return {}
  const names = (prompt.arguments ?? []).map((argument) => [argument.name, { type: 'string' }] as const)
  return { type: 'object', properties: Object.fromEntries(names), additionalProperties: false }
}
