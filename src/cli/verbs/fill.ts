import { Command } from 'commander'
import { closestTo } from '../../kit/closest.js'
import type { PromptDefinition } from '../../protocol/types.js'
import { talkErrors } from '../../talk/errors.js'
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
      const prompts = await link.prompts()
      const known = prompts.find((prompt) => prompt.name === name)
      if (!known)
        throw talkErrors.promptUnknown(
          name,
          closestTo(
            name,
            prompts.map((prompt) => prompt.name),
          ),
          link.label,
        )
      return link.fill(name, readArguments(name, schemaOf(known), words) as Record<string, string>)
    })
    if (flags.json) return outJson(result)
    for (const { role, content } of result.messages) {
      out(colours.bold(role))
      out(blockText(content))
    }
  })

/** A prompt's arguments are all strings. */
function schemaOf(prompt: PromptDefinition) {
  const names = (prompt.arguments ?? []).map((argument) => [argument.name, { type: 'string' }] as const)
  return { type: 'object', properties: Object.fromEntries(names), additionalProperties: false }
}
