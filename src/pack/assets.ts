import { createHash } from 'node:crypto'
import { existsSync, readdirSync, realpathSync, statSync } from 'node:fs'
import { readFile } from 'node:fs/promises'
import { dirname, extname, join, relative, resolve, sep } from 'node:path'
import { gzipSync } from 'node:zlib'
import type { Loader, Plugin } from 'esbuild'
import { packageFile } from '../own-files.js'
import { hollowContent } from '../wrap/source/frozen.js'
import { packErrors } from './errors.js'
import { filesOfPackage } from './native-packages.js'

const assetPattern = /new\s+URL\(\s*(['"`])(\.{1,2}\/[^'"`$]*)\1\s*,\s*import\.meta\.url\s*\)/g
/** A package that is named for what it is wrapped as: it travels along as the file that it is. */
const packagePattern = /import\.meta\.resolve\(\s*(['"])((?:@[\w.-]+\/)?[\w.-]+)\1\s*\)/g
const placeholder = 'globalThis.__jexoAssets'
const loaders: Record<string, Loader> = { '.ts': 'ts', '.mts': 'ts', '.tsx': 'tsx', '.jsx': 'jsx' }

/** Gathers the files that a kit's own modules name by `new URL('./…', import.meta.url)`. */
export class AssetCollector {
  readonly #root: string
  readonly #found = new Map<string, string>()

  readonly #hollow: ReadonlySet<string>

  readonly #folders: ReadonlyMap<string, readonly string[]>

  /**
   * Of files that may hold secrets, which only wraps read, no more than a mark is taken; of folders that are wrapped, by their true paths, the
   * files that the wrap serves.
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

  /** Paths of the gathered files, relative to the kit. */
  get files(): readonly string[] {
    return [...this.#found.keys()].sort()
  }

  /** Takes a file or a whole folder; throws if there is none. Returns the URL expression that finds it at run time. */
  take(module: string, reference: string): string {
    const path = resolve(dirname(module), reference)
    if (!existsSync(path)) {
      throw packErrors.packFailed(
        module,
        `it names ${JSON.stringify(reference)}, and there is no such file or folder`,
      )
    }
    for (const file of this.#filesOf(path)) this.#found.set(this.#nameOf(file), file)
    const name = this.#nameOf(path) + (statSync(path).isDirectory() ? '/' : '')
    return `new URL(${JSON.stringify(name)}, ${placeholder}())`
  }

  /** Of a folder that is wrapped, exactly what the wrap serves; of any other what is neither hidden nor a link. */
  #filesOf(path: string): string[] {
    if (!statSync(path).isDirectory()) return [path]
    const served = this.#folders.get(realpathSync(path))
    return served ? served.map((file) => join(path, ...file.split('/'))) : plainFilesUnder(path)
  }

  /** Takes a package that cannot be bundled, with what it needs. */
  takePackage(name: string): void {
    for (const [at, file] of filesOfPackage(name)) this.#found.set(at, file)
  }

  /** The bundle with the gathered contents in front of it. */
  async withContents(code: string): Promise<string> {
    if (this.#found.size === 0) return code
    const contents: Record<string, string> = {}
    for (const name of this.files) {
      const file = this.#found.get(name) as string
      const content = this.#hollow.has(file) ? Buffer.from(hollowContent(file)) : await readFile(file)
      // Native parts are large, and get smaller by that.
      contents[name] = name.endsWith('.node')
        ? `gzip:${gzipSync(content, { level: 9 }).toString('base64')}`
        : content.toString('base64')
    }
    const text = JSON.stringify(contents)
    const hash = createHash('sha256').update(text).digest('hex').slice(0, 16)
    return `globalThis.__jexoAssetHash="${hash}";globalThis.__jexoAssetContents=${text};\n${code}`
  }

  /** A name below one folder, whatever the kit's files reach up to. */
  #nameOf(path: string): string {
    return relative(this.#root, path).split(sep).join('/').replaceAll('..', '_up')
  }
}

/** Points references of the author's own modules to where their files are put at run time. */
export function assetPlugin(assets: AssetCollector): Plugin {
  return {
    name: 'jexo-assets',
    setup({ onLoad, resolve: find }) {
      onLoad({ filter: /\.[cm]?[jt]sx?$/ }, async ({ path }) => {
        if (path.includes(`${sep}node_modules${sep}`) || isOwnSource(path)) return undefined
        const source = await readFile(path, 'utf8')
        if (!source.includes('import.meta.')) return undefined
        const resolved = new Map<string, string>()
        for (const [, , name = ''] of source.matchAll(packagePattern)) {
          const found = await find(name, {
            kind: 'import-statement',
            resolveDir: dirname(path),
            pluginData: 'again',
          })
          if (found.errors.length === 0) resolved.set(name, found.path)
        }
        const withPackages = source.replace(packagePattern, (whole, _quote, name: string) => {
          const file = resolved.get(name)
          return file === undefined ? whole : `${assets.take(path, file)}.href`
        })
        const contents = withPackages.replace(assetPattern, (whole, _quote, reference: string) =>
          isModule(resolve(dirname(path), reference)) ? whole : assets.take(path, reference),
        )
        return { contents, loader: loaders[extname(path)] ?? 'js' }
      })
    },
  }
}

/** Jexo's own files name no assets of a kit, not even in the examples of their comments. */
const isOwnSource = (path: string) =>
  path.startsWith(packageFile(`dist${sep}`)) || path.startsWith(packageFile(`src${sep}`))

const isModule = (path: string) => /\.[cm]?js$/.test(path) && path.includes(`${sep}dist${sep}`)

function plainFilesUnder(path: string): string[] {
  return readdirSync(path, { withFileTypes: true }).flatMap((entry) => {
    if (entry.name.startsWith('.') || entry.name === 'node_modules') return []
    const inner = join(path, entry.name)
    return entry.isDirectory() ? plainFilesUnder(inner) : entry.isFile() ? [inner] : []
  })
}
