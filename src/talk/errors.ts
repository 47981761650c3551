import { JexoError, listOf } from '../errors.js'

/** The closest names, or the command that lists all. */
const closestText = (closest: readonly string[], otherwise: string): string =>
  closest.length === 0 ? otherwise : `did you mean ${listOf(closest)}?`

export const talkErrors = {
  toolUnknown: (tool: string, closest: readonly string[], where: string) =>
    new JexoError(
      'tool-unknown',
      `there is no tool "${tool}"`,
      closestText(closest, 'jexo show lists all tools'),
      where,
    ),
  promptUnknown: (prompt: string, closest: readonly string[], where: string) =>
    new JexoError(
      'prompt-unknown',
      `there is no prompt "${prompt}"`,
      closestText(closest, 'jexo show lists all prompts'),
      where,
    ),
  resourceUnknown: (uri: string, closest: readonly string[], where: string) =>
    new JexoError(
      'resource-unknown',
      `there is no resource ${uri}`,
      closestText(closest, 'jexo show lists all resources and templates'),
      where,
    ),
  verbUnknown: (verb: string, closest: readonly string[]) =>
    new JexoError(
      'verb-unknown',
      `there is no command "${verb}" here`,
      closestText(closest, 'help lists all commands'),
    ),
}
