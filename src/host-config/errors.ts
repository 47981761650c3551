import { JexoError, listOf } from '../errors.js'

export const hostConfigErrors = {
  configUnreadable: (file: string, reason: string) =>
    new JexoError('config-unreadable', `it is not a valid host configuration (${reason})`, 'fix it by hand', file),
  configEntryMissing: (file: string, entry: string, known: readonly string[]) =>
    new JexoError(
      'config-entry-missing',
      `it has no entry "${entry}"`,
      known.length > 0 ? `it has ${listOf(known)}` : 'it has no entries',
      file,
    ),
}
