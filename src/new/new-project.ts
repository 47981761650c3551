import { spawn } from 'node:child_process'
import { existsSync } from 'node:fs'
import { readdir, readFile } from 'node:fs/promises'
import { basename, dirname, join, resolve } from 'node:path'
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

export interface NewProjectOptions {
  /**
   * A tarball, folder or version range from which the project installs Jexo. Default: the source of this installation.
   */
  from?: string | undefined
  /** Includes a view that shows the result of its tool. */
  hasView?: boolean
}

/**
 * Writes a kit project into a new or empty folder. Rejects with a `JexoError`, and writes nothing, if the folder is not
 * empty.
 */
export async function newProject(
  folder: string,
  { from, hasView = false }: NewProjectOptions = {},
): Promise<NewProject> {
  const target = resolve(folder)
  const there = await readdir(target).catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT') return []
    throw newErrors.folderNotEmpty(shownPath(target))
  })
  if (there.length > 0) throw newErrors.folderNotEmpty(shownPath(target))
  const { peerDependencies, devDependencies } = JSON.parse(await readFile(packageFile('package.json'), 'utf8')) as {
    peerDependencies: { zod: string; vite: string }
    devDependencies: { typescript: string; esbuild: string; '@types/node': string }
  }
  const name = plainName(basename(target))
  const versions = {
    jexo: from === undefined ? await installedFrom() : sourceOf(from),
    zod: peerDependencies.zod,
    esbuild: `^${devDependencies.esbuild.replace('^', '')}`,
    typescript: devDependencies.typescript,
    '@types/node': devDependencies['@types/node'],
    ...(hasView ? { vite: peerDependencies.vite } : {}),
  }
  const files = projectFiles({ name, versions, hasView })
  await writeOut(target, files)
  return { folder: target, name, files: files.map(({ path }) => path) }
}

/** A checkout or tarball that this Jexo was installed from; otherwise its version in the registry. */
async function installedFrom(): Promise<string> {
  if (existsSync(packageFile('src'))) return `file:${packageFile('.')}`
  const modules = dirname(packageFile('.'))
  const lock = await readFile(join(modules, '.package-lock.json'), 'utf8').catch(() => '{}')
  const { packages = {} } = JSON.parse(lock) as { packages?: Record<string, { resolved?: string }> }
  const resolved = packages['node_modules/jexo']?.resolved
  return resolved?.startsWith('file:') ? `file:${resolve(dirname(modules), resolved.slice(5))}` : releasedRange
}

/** `./jexo-0.1.0.tgz` and folders are files; npm interprets everything else. */
function sourceOf(from: string): string {
  if (existsSync(from)) return `file:${resolve(from)}`
  if (/\.tgz$|[\\/]/.test(from) && !/^[a-z+]+:/.test(from)) throw newErrors.sourceMissing(from)
  return from
}

/** Runs `npm install` there. Rejects with a `JexoError` that contains npm's error. */
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
      reject(newErrors.installFailed(shownPath(folder), reasonIn(complaint) ?? `exit code ${code}`))
    })
  })
}

/** The line in which npm names the package that it could not install. */
function reasonIn(complaint: string): string | undefined {
  const lines = complaint
    .split('\n')
    .flatMap((line) => /^npm (?:error|ERR!) (?:\d+ )?(.+)$/.exec(line.trim())?.[1] ?? [])
  const named = lines.find((line) =>
    /No matching version found for|is not in (this|the npm) registry|could not be found|request to \S+ failed/.test(
      line,
    ),
  )
  return (named ?? lines.find((line) => !/^(code|errno|syscall|path|type) /.test(line)))?.trim()
}
