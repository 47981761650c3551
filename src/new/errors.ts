import { JexoError } from '../errors.js'

export const newErrors = {
  folderNotEmpty: (folder: string) =>
    new JexoError('folder-not-empty', 'the folder is not empty', 'give the name of a new folder', folder),
  installFailed: (folder: string, reason: string) =>
    new JexoError(
      'install-failed',
      `npm install failed (${reason})`,
      'run npm install in that folder to see the whole output',
      folder,
    ),
}
