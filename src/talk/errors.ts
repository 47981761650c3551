import { JexoError, listOf } from '../errors.js'

export const talkErrors = {
  toolUnknown: (tool: string, closest: readonly string[], where: string) =>
    new JexoError(
      'tool-unknown',
      `there is no tool "${tool}"`,
      closest.length > 0 ? `the closest are ${listOf(closest)}` : 'jexo show lists all tools',
      where,
    ),
  promptUnknown: (prompt: string, closest: readonly string[], where: string) =>
    new JexoError(
      'prompt-unknown',
      `there is no prompt "${prompt}"`,
      closest.length > 0 ? `the closest are ${listOf(closest)}` : 'jexo show lists all prompts',
      where,
    ),
  resourceUnknown: (uri: string, closest: readonly string[], where: string) =>
    new JexoError(
      'resource-unknown',
      `there is no resource ${uri}`,
      closest.length > 0 ? `the closest are ${listOf(closest)}` : 'jexo show lists all resources and templates',
      where,
    ),
  verbUnknown: (verb: string, closest: readonly string[]) =>
    new JexoError(
      'verb-unknown',
      `there is no command "${verb}" here`,
      closest.length > 0 ? `did you mean ${listOf(closest)}` : 'help lists all commands',
    ),
}
