import { JexoError } from '../errors.js'

export const attachErrors = {
  commandMissing: (command: string) =>
    new JexoError(
      'command-missing',
      `the program ${JSON.stringify(command)} was not found in PATH`,
      'install it, or use its full path',
    ),
  configUnwritable: (file: string, reason: string) =>
    new JexoError(
      'config-unwritable',
      `it cannot be written (${reason}) and was not changed`,
      'make the file and its folder writable, or copy the entry by hand',
      file,
    ),
  folderMissing: (file: string, folder: string) =>
    new JexoError(
      'config-folder-missing',
      `its folder ${folder} does not exist`,
      'check the path, or create the folder',
      file,
    ),
  secretHeader: (file: string, header: string) =>
    new JexoError(
      'header-secret',
      `the header ${header} is a secret, and this host's format has no inputs for secrets`,
      `pass a reference, such as --header "${header}: \${env:NAME}", if the host reads variables, or write the value with --write-secrets`,
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
