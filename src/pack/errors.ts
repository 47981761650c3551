import { JexoError } from '../errors.js'

export const packErrors = {
  packForeign: (packages: readonly string[]) =>
    new JexoError(
      'pack-foreign',
      `the kit contains native code for ${process.platform} (${packages.join(', ')}), but images run on Linux`,
      'pack it on Linux',
    ),
  folderUnwritable: (folder: string, reason: string) =>
    new JexoError('folder-unwritable', `the folder is not writable (${reason})`, 'choose another folder', folder),
  packageBroken: (where: string, reason: string) =>
    new JexoError(
      'package-broken',
      `the package does not work (${reason})`,
      'fix the cause; --no-check skips the test',
      where,
    ),
  registryNameMissing: (name: string | undefined) =>
    new JexoError(
      'registry-name-missing',
      name === undefined
        ? 'the registry of servers requires a name'
        : `${JSON.stringify(name)} is not a valid registry name`,
      'give --registry-name <reverse domain>/<name>, such as org.example/apiary, or a websiteUrl in the kit',
    ),
  packNative: (file: string) =>
    new JexoError(
      'pack-native',
      `the kit needs the native module ${file}`,
      'a single file cannot contain it; remove it, or run the kit with its node_modules',
    ),
  packFailed: (file: string, reason: string) =>
    new JexoError('pack-failed', `it cannot be packed: ${reason}`, 'fix the import named above', file),
}
