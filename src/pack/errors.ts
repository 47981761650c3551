import { JexoError, listOf } from '../errors.js'

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
  packSilent: (reason: string, madeUp: readonly string[]) =>
    new JexoError(
      'pack-silent',
      `the packed file does not run in an empty folder (${reason})`,
      [
        ...(/UNKNOWN_FILE_EXTENSION|Cannot find (package|module)/.test(reason)
          ? [`import modules by their names, or as import(\`./tools/\${name}.ts\`)`]
          : []),
        ...(madeUp.length > 0 ? [`set ${listOf(madeUp)}, which had made-up values`] : []),
        'fix the cause, or skip the test with --no-check',
      ].join('; '),
    ),
  registryNameMissing: (name: string | undefined) =>
    new JexoError(
      'registry-name-missing',
      name === undefined
        ? 'the registry of servers requires a name'
        : `${JSON.stringify(name)} is not a valid registry name`,
      'set --registry-name <reverse domain>/<name>, such as org.example/apiary, or a websiteUrl in the kit',
    ),
  packFailed: (file: string, reason: string) =>
    new JexoError('pack-failed', `it cannot be packed: ${reason}`, 'fix the import named above', file),
}
