import { chmod, mkdir, mkdtemp, rename, rm, writeFile } from 'node:fs/promises'
import { dirname, join, resolve } from 'node:path'
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
