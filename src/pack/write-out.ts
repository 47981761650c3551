import { constants } from 'node:fs'
import { access, chmod, mkdir, mkdtemp, rename, rm, stat, writeFile } from 'node:fs/promises'
import { dirname, join, resolve } from 'node:path'
import { isJexoError } from '../errors.js'
import { packErrors } from './errors.js'
import type { OutFile } from './form.js'

/**
 * Writes files into a folder: first all of them under temporary names, then renames each. Rejects with a `JexoError`;
 * no file is half-written then.
 */
export async function writeOut(folder: string, files: readonly OutFile[]): Promise<void> {
  const target = resolve(folder)
  let draft: string | undefined
  try {
    await mkdir(target, { recursive: true })
    draft = await mkdtemp(join(target, '.jexo-draft-'))
    for (const { path, text, isProgram } of files) {
      await mkdir(dirname(join(draft, path)), { recursive: true })
      await writeFile(join(draft, path), text)
      if (isProgram) await chmod(join(draft, path), 0o755)
    }
    for (const { path } of files) {
      await mkdir(dirname(join(target, path)), { recursive: true })
      await rename(join(draft, path), join(target, path))
    }
  } catch (error) {
    throw packErrors.folderUnwritable(target, (error as NodeJS.ErrnoException).code ?? String(error))
  } finally {
    if (draft) await rm(draft, { recursive: true, force: true })
  }
}

/** Rejects with a `JexoError` if a folder cannot be written or created, before the work whose result it is for. */
export async function needWritable(folder: string): Promise<void> {
  for (let path = resolve(folder); ; path = dirname(path)) {
    try {
      if (!(await stat(path)).isDirectory()) throw packErrors.folderUnwritable(resolve(folder), 'ENOTDIR')
      return await access(path, constants.W_OK)
    } catch (error) {
      const code = (error as NodeJS.ErrnoException).code
      // The first folder above that exists decides.
      if (code === 'ENOENT' && dirname(path) !== path) continue
      throw isJexoError(error) ? error : packErrors.folderUnwritable(resolve(folder), code ?? String(error))
    }
  }
}
