import { spawn } from 'node:child_process'
import { existsSync } from 'node:fs'
import { readdir, readFile } from 'node:fs/promises'
import { basename, resolve } from 'node:path'
import { shownPath } from '../kit-file/kit-file.js'
import { packageFile } from '../own-files.js'
import { plainName } from '../pack/form.js'
import { writeOut } from '../pack/write-out.js'
import { newErrors } from './errors.js'
import { projectFiles, releasedRange } from './project-files.js'

export interface NewProject {
  folder: string
  name: string
  files: readonly string[]
}

/** Writes a kit project into a folder that is not there yet, or empty. Rejects with a `JexoError`, and writes nothing, where it is not. */
export async function newProject(folder: string): Promise<NewProject> {
  const target = resolve(folder)
  const there = await readdir(target).catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT') return []
    throw newErrors.folderNotEmpty(shownPath(target))
  })
  if (there.length > 0) throw newErrors.folderNotEmpty(shownPath(target))
  const { peerDependencies } = JSON.parse(await readFile(packageFile('package.json'), 'utf8')) as {
    peerDependencies: { zod: string }
  }
  const name = plainName(basename(target))
  // From a checkout, the project uses that very one.
  const jexo = existsSync(packageFile('src')) ? `file:${packageFile('.')}` : releasedRange
  const files = projectFiles({ name, jexo, zod: peerDependencies.zod })
  await writeOut(target, files)
  return { folder: target, name, files: files.map(({ path }) => path) }
}

/** Runs `npm install` there. Rejects with a `JexoError` that says what npm complained of. */
export async function install(folder: string, onLine: (text: string) => void): Promise<void> {
  const npm = process.platform === 'win32' ? 'npm.cmd' : 'npm'
  const child = spawn(npm, ['install', '--no-audit', '--no-fund', '--loglevel=error'], {
    cwd: folder,
    stdio: ['ignore', 'pipe', 'pipe'],
  })
  let complaint = ''
  child.stdout.on('data', (chunk) => onLine(String(chunk).trim()))
  child.stderr.on('data', (chunk) => {
    complaint += chunk
  })
  await new Promise<void>((done, reject) => {
    child.once('error', (error) => reject(newErrors.installFailed(shownPath(folder), error.message)))
    child.once('close', (code) => {
      if (code === 0) return done()
      const [line = `exit code ${code}`] = complaint.split('\n').filter((text) => /error/i.test(text))
      reject(newErrors.installFailed(shownPath(folder), line))
    })
  })
}
