import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { dirname, join, relative, sep } from 'node:path'
import { fileURLToPath } from 'node:url'
import { packagesFolder } from '../packed-file/mark.js'
import { packErrors } from './errors.js'

interface Manifest {
  readonly dependencies?: Readonly<Record<string, string>>
  readonly optionalDependencies?: Readonly<Record<string, string>>
  readonly os?: readonly string[]
  readonly cpu?: readonly string[]
  readonly libc?: readonly string[]
}

/**
 * All files of a package that cannot be bundled, and of what it needs, by the name that they get in a packed file. Of parts for other
 * machines, none. Throws a `JexoError` if it is not installed.
 */
export function filesOfPackage(name: string): Map<string, string> {
  const files = new Map<string, string>()
  const seen = new Set<string>()
  const take = (wanted: string, from: string, isOptional: boolean) => {
    const root = packageRoot(wanted, from)
    if (root === undefined) {
      if (isOptional) return
      throw packErrors.packFailed(wanted, 'the package is not installed')
    }
    if (seen.has(root)) return
    seen.add(root)
    const manifest = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')) as Manifest
    if (!fitsHere(wanted, manifest)) return
    for (const file of filesUnder(root))
      files.set(`${packagesFolder}/node_modules/${wanted}/${relative(root, file).split(sep).join('/')}`, file)
    for (const needed of Object.keys(manifest.dependencies ?? {})) take(needed, root, false)
    for (const needed of Object.keys(manifest.optionalDependencies ?? {})) take(needed, root, true)
  }
  take(name, dirname(fileURLToPath(import.meta.url)), false)
  return files
}

function packageRoot(name: string, from: string): string | undefined {
  for (let folder = from; ; folder = dirname(folder)) {
    const root = join(folder, 'node_modules', name)
    if (existsSync(join(root, 'package.json'))) return root
    if (folder === dirname(folder)) return undefined
  }
}

/** Native parts are made for one system, processor and C library. */
function fitsHere(name: string, { os, cpu, libc = libcIn(name) }: Manifest): boolean {
  const report = process.report?.getReport() as { header?: { glibcVersionRuntime?: string } } | undefined
  const here = report?.header?.glibcVersionRuntime === undefined ? 'musl' : 'glibc'
  return (
    (os === undefined || os.includes(process.platform)) &&
    (cpu === undefined || cpu.includes(process.arch)) &&
    (libc === undefined || process.platform !== 'linux' || libc.includes(here))
  )
}

/** Many say it by their names only. */
function libcIn(name: string): string[] | undefined {
  if (/-musl(eabihf)?$/.test(name)) return ['musl']
  return /-gnu(eabihf)?$/.test(name) ? ['glibc'] : undefined
}

function filesUnder(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    if (entry.isDirectory()) return entry.name === 'node_modules' ? [] : filesUnder(join(folder, entry.name))
    return /\.(js|cjs|mjs|json|node)$/.test(entry.name) || /^licen[cs]e/i.test(entry.name)
      ? [join(folder, entry.name)]
      : []
  })
}
