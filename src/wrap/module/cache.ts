import { existsSync, readFileSync, statSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { cacheFolder, cacheKey, readCached, writeCached } from '../../files/user-cache.js'
import { ownModules } from '../../own-files.js'
import { version } from '../../version.js'
import { readModule } from './read.js'
import type { ModuleReading } from './reading.js'

interface Kept {
  /** The files that were read, with a stamp of each. */
  stamps: Record<string, string>
  reading: ModuleReading
}

/** The exports of a module, from the cache if none of its files has changed. */
export async function readModuleCached(file: string): Promise<ModuleReading> {
  const folder = cacheFor(file)
  const name = `${cacheKey(version, file)}.reading.json`
  const kept = keptIn(folder, name)
  if (kept && Object.entries(kept.stamps).every(([path, stamp]) => stampOf(path) === stamp)) return kept.reading
  const { reading, files } = await readModule(file)
  const depends = [...files, ...manifestsAbove(file), ...readers]
  const stamps = Object.fromEntries(depends.map((path) => [path, stampOf(path)]))
  writeCached(folder, name, JSON.stringify({ stamps, reading } satisfies Kept))
  return reading
}

/** The reading also depends on the code that reads types. */
const readers = [
  'read',
  'exports',
  'overloads',
  'types',
  'known-types',
  'signature',
  'docs',
  'program',
  'platform-files',
  'effect-of-body',
  'names',
  'own-values',
  'builtins',
  'repeated',
  'schema-types',
  'simple-types',
  'shapes',
  'literals',
  'examples',
  'package-entry',
].flatMap((name) => ownModules(`wrap/module/${name}`))

/** In `node_modules/.cache` of the project; without a project, in the user's cache. */
function cacheFor(file: string): string | undefined {
  for (let folder = dirname(file); ; folder = dirname(folder)) {
    if (existsSync(join(folder, 'node_modules'))) return join(folder, 'node_modules', '.cache', 'jexo')
    if (folder === dirname(folder)) return cacheFolder('readings')
  }
}

function keptIn(folder: string | undefined, name: string): Kept | undefined {
  try {
    return JSON.parse(readCached(folder, name)?.toString() ?? '') as Kept
  } catch {
    return undefined
  }
}

/** Files of the project are identified by content; those of packages, which are many, by size and time. */
function stampOf(file: string): string {
  try {
    if (!/[\\/]node_modules[\\/]/.test(file)) return cacheKey(readFileSync(file))
    const { size, mtimeMs } = statSync(file)
    return `${size} ${mtimeMs}`
  } catch {
    return 'missing'
  }
}

/** Settings of the project that the reading depends on. */
function manifestsAbove(file: string): string[] {
  const found: string[] = []
  for (let folder = dirname(file); ; folder = dirname(folder)) {
    found.push(join(folder, 'tsconfig.json'), join(folder, 'package.json'))
    if (folder === dirname(folder)) return found
  }
}
