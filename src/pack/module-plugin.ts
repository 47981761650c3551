import { existsSync, readFileSync } from 'node:fs'
import { readFile } from 'node:fs/promises'
import { dirname, extname, resolve, sep } from 'node:path'
import type { Loader, Plugin } from 'esbuild'
import type Compiler from 'typescript'
import { cachedValue, cacheFolder, cacheKey } from '../files/user-cache.js'
import { requiredPackage } from '../optional-packages.js'
import { ownModules, packageFile } from '../own-files.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import type { AssetCollector } from './assets.js'
import { packErrors } from './errors.js'
import { type ModulePaths, mayNamePaths, pathsIn } from './module-paths.js'

/** A package that is wrapped by its name; it is included as a file. */
const packagePattern = /import\.meta\.resolve\(\s*(['"])((?:@[\w.-]+\/)?[\w.-]+)\1\s*\)/g
/** A file that must exist, since the code reads it. */
const urlPattern = /new\s+URL\(\s*(['"`])(\.{1,2}\/[^'"`$]*)\1\s*,\s*import\.meta\.url\s*\)/g
const loaders: Record<string, Loader> = { '.ts': 'ts', '.mts': 'ts', '.cts': 'ts', '.tsx': 'tsx', '.jsx': 'jsx' }

/**
 * Redirects `import.meta.url`, `__dirname` and similar expressions to the folder in which the files are unpacked at run time.
 */
export function modulePlugin(assets: AssetCollector): Plugin {
  return {
    name: 'jexo-modules',
    setup({ onLoad, resolve: find }) {
      onLoad({ filter: /\.[cm]?[jt]sx?$/ }, async ({ path }) => {
        if (isOwnSource(path)) return undefined
        const source = await readFile(path, 'utf8')
        if (!mayNamePaths(source)) return undefined
        const isForeign = path.includes(`${sep}node_modules${sep}`)
        const resolved = new Map<string, string>()
        for (const [, , name = ''] of isForeign ? [] : source.matchAll(packagePattern)) {
          const options = { kind: 'import-statement', resolveDir: dirname(path), pluginData: 'again' } as const
          const found = await find(name, options)
          if (found.errors.length === 0) resolved.set(name, found.path)
        }
        if (!isForeign) needNamed(path, source)
        const withPackages = source.replace(packagePattern, (whole, _quote, name: string) => {
          const taken = assets.take(resolved.get(name) ?? '')
          return taken === undefined ? whole : `${placeOf(taken)}.url`
        })
        const contents = withPlaces(path, withPackages, assets, isForeign)
        return { contents, loader: loaders[extname(path)] ?? 'js' }
      })
    },
  }
}

const placeOf = (name: string) => `globalThis.__jexoModule(${JSON.stringify(name)})`

function withPlaces(path: string, source: string, assets: AssetCollector, isForeign: boolean): string {
  const { named, open, own } = isForeign ? cachedPaths(path, source) : readPaths(path, source)
  // A module of a package would also need its imports.
  for (const { path: file } of named)
    if (!isCompiled(file) && !(isForeign && /\.[cm]?js$/.test(file))) assets.take(file)
  // The author cannot change the code of packages.
  if (!isForeign) for (const { text, line } of open) assets.open.push(`${assets.shown(path)}:${line}: ${text}`)
  const place = placeOf(assets.nameOf(path))
  let text = source
  for (const { from, to, what, isShorthand } of [...own].reverse()) {
    const name = isShorthand ? `${text.slice(from, to)}: ` : ''
    text = `${text.slice(0, from)}${name}${place}.${what}${text.slice(to)}`
  }
  return text
}

const readPaths = (path: string, source: string): ModulePaths =>
  pathsIn(requiredPackage<typeof Compiler>('typescript', 'packing a kit'), path, source)

/** Modules of packages can be large, and do not change between two runs. */
function cachedPaths(path: string, source: string): ModulePaths {
  const name = `${cacheKey(...readerCode(), path, source)}.json`
  return cachedValue(cacheFolder('module-paths'), name, arePaths, () => readPaths(path, source))
}

function arePaths(value: unknown): value is ModulePaths {
  if (!isObject(value)) return false
  const { named, open, own } = value
  return (
    isListWith(named, (one) => typeof one.path === 'string') &&
    isListWith(open, (one) => typeof one.text === 'string') &&
    isListWith(own, (one) => Number.isInteger(one.from) && Number.isInteger(one.to) && typeof one.what === 'string')
  )
}

const isListWith = (list: unknown, isRight: (one: JsonObject) => boolean): boolean =>
  Array.isArray(list) && list.every((one) => isObject(one) && isRight(one))

/** The cached paths depend on the code that reads them. */
const readerCode = () => ownModules('pack/module-paths').map((file) => readFileSync(file, 'utf8'))

function needNamed(path: string, source: string): void {
  for (const [, , reference = ''] of source.matchAll(urlPattern)) {
    const file = resolve(dirname(path), reference)
    if (!isCompiled(file) && !existsSync(file))
      throw packErrors.packFailed(
        path,
        `it names ${JSON.stringify(reference)}, and there is no such file or folder`,
      )
  }
}

/** Jexo's own files name no assets of a kit, not even in comments. */
export const isOwnSource = (path: string): boolean =>
  path.startsWith(packageFile(`dist${sep}`)) || path.startsWith(packageFile(`src${sep}`))

const isCompiled = (path: string) => /\.[cm]?js$/.test(path) && path.includes(`${sep}dist${sep}`)
