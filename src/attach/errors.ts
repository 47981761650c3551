import { JexoError } from '../errors.js'

export const attachErrors = {
  commandMissing: (command: string) =>
    new JexoError(
      'command-missing',
      `the program ${JSON.stringify(command)} was not found in PATH`,
      'install it, or give its full path',
    ),
  configUnwritable: (file: string, reason: string) =>
    new JexoError(
      'config-unwritable',
      `it cannot be written (${reason}) and was not changed`,
      'make the file and its folder writable, or copy the entry by hand',
      file,
    ),
  configEntryTaken: (file: string, entry: string) =>
    new JexoError(
      'config-entry-taken',
      `the name "${entry}" belongs to another server`,
      'choose another with --as, or replace it with --replace',
      file,
    ),
}
