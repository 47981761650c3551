import { createHash } from 'node:crypto'
import { existsSync, readdirSync, realpathSync, statSync } from 'node:fs'
import { readFile } from 'node:fs/promises'
import { basename, dirname, join, posix, relative, sep } from 'node:path'
import { gzipSync } from 'node:zlib'
import { packagesFolder } from '../packed-file/mark.js'
import { hollowContent } from '../wrap/source/frozen.js'
import { packErrors } from './errors.js'
import { filesOfPackage } from './native-packages.js'

/** Unpacked modules keep their relative locations, up to this many folders above the kit. */
const above = 'up/'.repeat(8)

/** A packed file is read completely at each start. */
const mostFiles = 20_000
const mostBytes = 300_000_000

/** Native parts, descriptions and texts are compressed if that makes them smaller. */
function storedText(content: Buffer): string {
  const packed = content.length < smallBytes ? content : gzipSync(content)
  return packed.length < content.length * 0.8 ? `gzip:${packed.toString('base64')}` : content.toString('base64')
}
const smallBytes = 4000

/** Collects the files for a packed kit: those that its modules name, and packages that cannot be bundled. */
export class AssetCollector {
  readonly #root: string
  readonly #found = new Map<string, string>()
  #bytes = 0
  readonly #packages = new Set<string>()
  readonly #hollow: ReadonlySet<string>
  readonly #folders: ReadonlyMap<string, readonly string[]>
  /** Places where a module builds a path from values known only at run time, as `file:line`. */
  readonly open: string[] = []

  /**
   * From files that may contain secrets and are only read by wraps, only a stamp is taken. Of wrapped folders, by real
   * path, the files that the wrap serves.
   */
  constructor(
    kitPath: string,
    hollow: readonly string[] = [],
    folders: ReadonlyMap<string, readonly string[]> = new Map(),
  ) {
    this.#hollow = new Set(hollow)
    this.#folders = folders
    this.#root = dirname(kitPath)
  }

  /** Paths of the collected files relative to the kit, without those of packages. */
  get files(): readonly string[] {
    return [...this.#found]
      .filter(([name]) => !name.startsWith(`${packagesFolder}/`))
      .map(([, file]) => this.shown(file))
      .sort()
  }

  /** Packages and modules with native parts. */
  get packages(): readonly string[] {
    return [...this.#packages].sort()
  }

  /** A path relative to the kit. */
  shown(path: string): string {
    const inPackage = path.lastIndexOf(`${sep}node_modules${sep}`)
    return posixOf(inPackage < 0 ? relative(this.#root, path) : path.slice(inPackage + 1))
  }

  /**
   * Adds a file, or the visible files of a folder. Returns its name in the unpacked folder; undefined if there is
   * nothing to include.
   */
  take(path: string): string | undefined {
    const found = statSync(path, { throwIfNoEntry: false })
    if (!found || this.#isHidden(path)) return undefined
    if (!found.isDirectory() && !found.isFile()) return undefined
    for (const file of this.#filesOf(path)) this.#put(this.nameOf(file), file)
    return this.nameOf(path) + (found.isDirectory() ? '/' : '')
  }

  /** Adds a native module; returns its name in the unpacked folder. */
  takeNative(path: string): string {
    this.#packages.add(basename(path))
    this.#put(this.nameOf(path), path)
    return this.nameOf(path)
  }

  /** Adds a package that cannot be bundled, with its dependencies. Throws a `JexoError` if it is not installed. */
  takePackage(name: string, from?: string): void {
    for (const [at, file] of filesOfPackage(name, from)) {
      const before = this.#found.get(at)
      if (before !== undefined && realpathSync(before) !== realpathSync(file))
        throw packErrors.packFailed(name, 'it is installed twice, and a packed file can contain only one of them')
      this.#put(at, file)
    }
    this.#packages.add(name)
  }

  /** The bundle, preceded by the collected contents. */
  async withContents(code: string): Promise<string> {
    if (this.#found.size === 0) return code
    const contents: Record<string, string> = {}
    for (const name of [...this.#found.keys()].sort()) {
      const file = this.#found.get(name) as string
      const content = this.#hollow.has(file) ? Buffer.from(hollowContent(file)) : await readFile(file)
      contents[name] = storedText(content)
    }
    const text = JSON.stringify(contents)
    const hash = createHash('sha256').update(text).digest('hex').slice(0, 16)
    return `globalThis.__jexoAssetHash="${hash}";globalThis.__jexoAssetContents=${text};\n${code}`
  }

  /** The name of a path in the unpacked folder: the same on every machine, with the same distance from the kit. */
  nameOf(path: string): string {
    const inPackage = path.lastIndexOf(`${sep}node_modules${sep}`)
    if (inPackage >= 0) return posixOf(path.slice(inPackage + 1))
    const name = posix.normalize(above + posixOf(relative(this.#root, path)))
    if (name.startsWith('..')) throw packErrors.packFailed(path, 'it is too far above the kit')
    return name
  }

  /** Files and folders whose names begin with a dot are included only if a module names them. */
  #isHidden(path: string): boolean {
    return this.shown(path)
      .split('/')
      .some((name) => name.startsWith('.') && name !== '..')
  }

  #put(name: string, file: string): void {
    if (!existsSync(file) || this.#found.has(name)) return
    this.#bytes += statSync(file).size
    this.#found.set(name, file)
    if (this.#found.size > mostFiles || this.#bytes > mostBytes)
      throw packErrors.packFailed(
        file,
        `the embedded files exceed the limit of ${mostFiles} files or ${mostBytes / 1e6} MB`,
      )
  }

  /** For a wrapped folder, exactly the files that the wrap serves; for others, all files except hidden ones and links. */
  #filesOf(path: string): string[] {
    if (!statSync(path).isDirectory()) return [path]
    const served = this.#folders.get(realpathSync(path))
    return served ? served.map((file) => join(path, ...file.split('/'))) : plainFilesUnder(path)
  }
}

const posixOf = (path: string) => path.split(sep).join('/')

function plainFilesUnder(path: string): string[] {
  return readdirSync(path, { withFileTypes: true }).flatMap((entry) => {
    if (entry.name.startsWith('.') || entry.name === 'node_modules') return []
    const inner = join(path, entry.name)
    return entry.isDirectory() ? plainFilesUnder(inner) : entry.isFile() ? [inner] : []
  })
}
