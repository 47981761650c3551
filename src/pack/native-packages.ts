import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { dirname, join, relative, sep } from 'node:path'
import { fileURLToPath } from 'node:url'
import { packagesFolder } from '../packed-file/mark.js'
import { packErrors } from './errors.js'

/** Packages that are only needed during installation. */
const forBuilding = new Set(['prebuild-install', 'node-gyp', 'node-addon-api', 'nan', '@mapbox/node-pre-gyp'])

interface Manifest {
  readonly dependencies?: Readonly<Record<string, string>>
  readonly optionalDependencies?: Readonly<Record<string, string>>
  readonly os?: readonly string[]
  readonly cpu?: readonly string[]
  readonly libc?: readonly string[]
}

/**
 * All files of a package that cannot be bundled, and of its dependencies, by their names in a packed file. Excludes
 * parts for other platforms, and build tools. Throws a `JexoError` if it is not installed.
 *
 * @param origin folder from which it is looked for; this module's by default
 */
export function filesOfPackage(
  name: string,
  origin = dirname(fileURLToPath(import.meta.url)),
): Map<string, string> {
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
    for (const needed of Object.keys(manifest.dependencies ?? {}))
      if (!forBuilding.has(needed)) take(needed, root, false)
    for (const needed of Object.keys(manifest.optionalDependencies ?? {})) take(needed, root, true)
  }
  take(name, origin, false)
  return files
}

function packageRoot(name: string, from: string): string | undefined {
  for (let folder = from; ; folder = dirname(folder)) {
    const root = join(folder, 'node_modules', name)
    if (existsSync(join(root, 'package.json'))) return root
    if (folder === dirname(folder)) return undefined
  }
}

/** Native modules are built for one system, processor and C library. */
function fitsHere(name: string, { os, cpu, libc = libcIn(name) }: Manifest): boolean {
  const report = process.report?.getReport() as { header?: { glibcVersionRuntime?: string } } | undefined
  const here = report?.header?.glibcVersionRuntime === undefined ? 'musl' : 'glibc'
  return (
    (os === undefined || os.includes(process.platform)) &&
    (cpu === undefined || cpu.includes(process.arch)) &&
    (libc === undefined || process.platform !== 'linux' || libc.includes(here))
  )
}

/** Many declare it only by their names. */
function libcIn(name: string): string[] | undefined {
  if (/-musl(eabihf)?$/.test(name)) return ['musl']
  return /-gnu(eabihf)?$/.test(name) ? ['glibc'] : undefined
}

/** Code, data, and native modules for this platform, without intermediate build files. */
function filesUnder(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name)
    if (entry.isDirectory()) return isSkipped(entry.name) ? [] : filesUnder(path)
    return /\.(js|cjs|mjs|json|node|wasm|so|so\.[\d.]+|dylib|dll)$/.test(entry.name) ||
      /^licen[cs]e/i.test(entry.name)
      ? [path]
      : []
  })
}

const systems = ['darwin', 'win32', 'linux', 'freebsd', 'android']

function isSkipped(name: string): boolean {
  const [system = '', arch] = name.split('-')
  const isForeign =
    systems.includes(system) && (system !== process.platform || (arch !== undefined && arch !== process.arch))
  return name === 'node_modules' || name === 'obj.target' || name === '.deps' || isForeign
}

/**
 * True for a package with native modules: it contains some, is built during installation, or has packages for single
 * platforms.
 */
export function isNativePackage(root: string): boolean {
  const manifest = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')) as Manifest & { gypfile?: boolean }
  if (manifest.gypfile || existsSync(join(root, 'binding.gyp'))) return true
  const needed = Object.keys(manifest.dependencies ?? {})
  if (needed.some((name) => /^(bindings|node-gyp-build|@mapbox\/node-pre-gyp|@neon-rs\/load)$/.test(name)))
    return true
  const parts = Object.keys(manifest.optionalDependencies ?? {})
  return parts.some((name) => {
    const part = packageRoot(name, root)
    return part !== undefined && filesUnder(part).some((file) => file.endsWith('.node'))
  })
}
