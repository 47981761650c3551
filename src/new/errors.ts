import { JexoError } from '../errors.js'

export const newErrors = {
  folderNotEmpty: (folder: string) =>
    new JexoError('folder-not-empty', 'the folder is not empty', 'choose the name of a new folder', folder),
  installFailed: (folder: string, reason: string) =>
    new JexoError(
      'install-failed',
      `npm install failed (${reason})`,
      /jexo/.test(reason)
        ? 'pass --from <tarball> if this version of Jexo is not in the registry, or run npm install in that folder to see all output'
        : 'run npm install in that folder to see all output',
      folder,
    ),
  sourceMissing: (from: string) =>
    new JexoError('new-source-missing', 'there is no such tarball or folder', 'check the path', from),
}
