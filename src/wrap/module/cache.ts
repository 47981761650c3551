import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync, renameSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { compiledFile } from '../../own-files.js'
import { version } from '../../version.js'
import { readModule } from './read.js'
import type { ModuleReading } from './reading.js'

interface Kept {
  /** Each file that was read, with what it was like. */
  stamps: Record<string, string>
  reading: ModuleReading
}

/** The exports of a module, from the cache if none of its files has changed. */
export async function readModuleCached(file: string): Promise<ModuleReading> {
  const at = cacheFile(file)
  const kept = keptAt(at)
  if (kept && Object.entries(kept.stamps).every(([name, stamp]) => stampOf(name) === stamp)) return kept.reading
  const { reading, files } = await readModule(file)
  const depends = [...files, ...manifestsAbove(file), ...readers]
  keep(at, { stamps: Object.fromEntries(depends.map((name) => [name, stampOf(name)])), reading })
  return reading
}

/** How types are read is also something that a reading depends on. */
const readers = [
  'read',
  'exports',
  'overloads',
  'types',
  'known-types',
  'signature',
  'docs',
  'program',
  'effect-of-body',
  'names',
  'own-values',
  'builtins',
  'repeated',
  'schema-types',
  'literals',
  'examples',
  'package-entry',
].flatMap((name) =>
  // Compiled, or as source in a checkout's tests.
  ['js', 'ts'].map((ending) => compiledFile(`wrap/module/${name}.${ending}`)).filter((path) => existsSync(path)),
)

/** Beside the packages of the project, as caches are; without any, with the system's temporary files. */
function cacheFile(file: string): string {
  const name = `${hashOf(`${version}\n${file}`)}.reading.json`
  for (let folder = dirname(file); ; folder = dirname(folder)) {
    if (existsSync(join(folder, 'node_modules'))) return join(folder, 'node_modules', '.cache', 'jexo', name)
    if (folder === dirname(folder)) return join(tmpdir(), `jexo-cache-${process.getuid?.() ?? 'user'}`, name)
  }
}

function keptAt(path: string): Kept | undefined {
  try {
    return JSON.parse(readFileSync(path, 'utf8')) as Kept
  } catch {
    return undefined
  }
}

/** A cache that cannot be written costs time, nothing else. */
function keep(path: string, kept: Kept): void {
  try {
    mkdirSync(dirname(path), { recursive: true, mode: 0o700 })
    const draft = `${path}.${process.pid}`
    writeFileSync(draft, JSON.stringify(kept))
    renameSync(draft, path)
  } catch {}
}

/** Files of one's own by their content; those of packages, which are many, by size and time. */
function stampOf(file: string): string {
  try {
    if (!/[\\/]node_modules[\\/]/.test(file)) return hashOf(readFileSync(file))
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

const hashOf = (content: string | Uint8Array) => createHash('sha256').update(content).digest('hex').slice(0, 24)
