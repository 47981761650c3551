import { JexoError, listOf } from '../errors.js'

export const talkErrors = {
  toolUnknown: (tool: string, closest: readonly string[], where: string) =>
    new JexoError(
      'tool-unknown',
      `there is no tool "${tool}"`,
      closest.length > 0 ? `the closest are ${listOf(closest)}` : 'jexo show lists all tools',
      where,
    ),
  verbUnknown: (verb: string, closest: readonly string[]) =>
    new JexoError(
      'verb-unknown',
      `there is no command "${verb}" here`,
      closest.length > 0 ? `did you mean ${listOf(closest)}` : 'help lists all commands',
    ),
}
