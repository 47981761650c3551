import { existsSync } from 'node:fs'
import { isBuiltin } from 'node:module'
import { dirname, join, resolve, sep } from 'node:path'
import { gzipSync } from 'node:zlib'
import type { Plugin } from 'esbuild'
import type { MadeWrap } from '../wrap/source/registry.js'
import type { AssetCollector } from './assets.js'
import { isOwnSource } from './module-plugin.js'
import { isNativePackage } from './native-packages.js'

/** Kits outside a project find the `jexo` and `zod` of this installation, as they do when they are loaded. */
export function ownPackages(built: string): Plugin {
  return {
    name: 'jexo-own-packages',
    setup({ onResolve, resolve: resolveAgain }) {
      onResolve({ filter: /^(jexo|zod|graphql|aedes)(\/|$)/ }, async ({ path, resolveDir, kind, pluginData }) => {
        if (pluginData === 'again') return undefined
        const near = await resolveAgain(path, { kind, resolveDir, pluginData: 'again' })
        const found =
          near.errors.length === 0
            ? near
            : await resolveAgain(path, { kind, resolveDir: built, pluginData: 'again' })
        // A checkout's tsconfig maps to its sources, which would be a second copy of the server code.
        const sources = join(built, '../src', sep)
        if (!found.path.startsWith(sources)) return found
        return { path: join(built, found.path.slice(sources.length).replace(/ts$/, 'js')) }
      })
      // An import of a compiled form, as TypeScript requires, is resolved to its source.
      onResolve({ filter: /^\.{1,2}\/.*\.m?js$/ }, ({ path, resolveDir }) => {
        const wanted = resolve(resolveDir, path)
        const source = wanted.replace(/js$/, 'ts')
        return existsSync(wanted) || !existsSync(source) ? undefined : { path: source }
      })
    },
  }
}

/** Built-in modules that take milliseconds to load. */
const heavyBuiltins =
  /^(?:node:)?(?:child_process|cluster|crypto|dgram|dns|http|http2|https|inspector|net|readline|tls|v8|vm|worker_threads|zlib)(?:\/promises)?$/

/**
 * Loads built-in modules when the code that imports them runs. In one ES module all imports stand at the top, so a server on stdio would
 * load Node's HTTP server, too.
 */
export function lateBuiltins(): Plugin {
  return {
    name: 'jexo-late-builtins',
    setup({ onResolve, onLoad }) {
      onResolve({ filter: heavyBuiltins }, ({ path, kind }) =>
        kind === 'import-statement' || kind === 'dynamic-import' ? { path, namespace: 'jexo-builtin' } : undefined,
      )
      onLoad({ filter: /.*/, namespace: 'jexo-builtin' }, ({ path }) => ({
        contents: `module.exports = require(${JSON.stringify(path)})`,
      }))
    },
  }
}

/** Excludes zod's messages in other languages, a third of a packed file, unless the kit uses `locales`. */
export function englishOnly(): Plugin {
  return {
    name: 'jexo-english-only',
    setup({ onResolve, onLoad }) {
      onResolve({ filter: /^\.\.\/locales\/index\.js$/ }, ({ path, resolveDir }) => {
        if (!/[\\/]zod[\\/]/.test(resolveDir)) return undefined
        return { path: resolve(resolveDir, path), namespace: 'jexo-english-only' }
      })
      onLoad({ filter: /.*/, namespace: 'jexo-english-only' }, ({ path }) => ({
        contents: `export { default as en } from './en.js'`,
        resolveDir: dirname(path),
      }))
    },
  }
}

/** Sources are named by file name only, without folders of this machine. */
const withoutFolders = (key: string, value: unknown) =>
  key === 'where' && typeof value === 'string' ? value.replace(/^.*[\\/](?=[^\\/]+:\d+$)/, '') : value

/** Longer plans are included compressed: a tenth of their size, and faster to read. */
const longPlan = 100_000

/** An expression for the JSON of a plan. */
function planText(json: string): string {
  if (json.length < longPlan) return JSON.stringify(json)
  const packed = gzipSync(json, { level: 9 }).toString('base64')
  return `gunzipSync(Buffer.from('${packed}', 'base64')).toString()`
}

/** Replaces the sources of wraps by their plans and modules, without the compiler. */
export function frozenWraps(wraps: readonly MadeWrap[]): Plugin {
  const imports = wraps.flatMap(({ modulePath }, at) =>
    modulePath === undefined ? [] : [`import * as module${at} from 'jexo:module${at}'`],
  )
  const entries = wraps.map(({ key, plan, modulePath }, at) => {
    const module = modulePath === undefined ? '' : `, module: module${at}`
    return `${JSON.stringify(key)}: { plan: JSON.parse(${planText(JSON.stringify(plan, withoutFolders))})${module} }`
  })
  const contents = `${imports.join('\n')}\nimport { gunzipSync } from 'node:zlib'\nglobalThis[Symbol.for('jexo.wraps')] = { frozen: { ${entries.join(', ')} } }`
  return {
    name: 'jexo-frozen-wraps',
    setup({ onResolve, onLoad }) {
      onResolve({ filter: /^jexo:frozen$/ }, ({ path }) => ({ path, namespace: 'jexo-frozen', sideEffects: true }))
      // The names are the same on every machine, and so is the source map.
      onResolve({ filter: /^jexo:module\d+$/ }, ({ path }) => ({
        path: wraps[Number(path.slice(11))]?.modulePath ?? path,
      }))
      onLoad({ filter: /.*/, namespace: 'jexo-frozen' }, () => ({ contents, resolveDir: process.cwd() }))
    },
  }
}

/** Packages with native modules, and native modules of the author, are included as files. */
export function nativeParts(assets: AssetCollector): Plugin {
  const known = new Map<string, boolean>()
  return {
    name: 'jexo-native-parts',
    setup({ onResolve, onLoad, resolve: find }) {
      onResolve({ filter: /^[^./]/ }, async ({ path, kind, resolveDir, importer, pluginData, namespace }) => {
        if (pluginData === 'again' || namespace !== 'file' || isOwnSource(importer) || isBuiltin(path))
          return undefined
        const found = await find(path, { kind, resolveDir, importer, pluginData: 'again' })
        const root = found.errors.length === 0 ? rootIn(found.path) : undefined
        if (root === undefined) return undefined
        if (!known.has(root)) known.set(root, isNativePackage(root))
        if (!known.get(root)) return undefined
        assets.takePackage(nameOf(path), resolveDir)
        return { path, namespace: 'jexo-native' }
      })
      onLoad({ filter: /.*/, namespace: 'jexo-native' }, ({ path }) => ({
        contents: `module.exports = require('node:module').createRequire(globalThis.__jexoPackages() + '/')(${JSON.stringify(path)})`,
      }))
      onLoad({ filter: /\.node$/ }, ({ path }) => {
        const name = JSON.stringify(assets.takeNative(path))
        return {
          contents: `module.exports = require('node:module').createRequire(import.meta.url)(globalThis.__jexoModule(${name}).filename)`,
          loader: 'js',
        }
      })
    },
  }
}

const nameOf = (specifier: string) =>
  specifier
    .split('/')
    .slice(0, specifier.startsWith('@') ? 2 : 1)
    .join('/')

/** The package folder of a file. */
function rootIn(path: string): string | undefined {
  const folder = `${sep}node_modules${sep}`
  const at = path.lastIndexOf(folder)
  if (at < 0) return undefined
  const root =
    path.slice(0, at + folder.length) +
    nameOf(
      path
        .slice(at + folder.length)
        .split(sep)
        .join('/'),
    )
  return existsSync(join(root, 'package.json')) ? root : undefined
}

/** The kit under a name that is the same on every machine. */
export function kitItself(path: string): Plugin {
  return {
    name: 'jexo-kit',
    setup({ onResolve }) {
      onResolve({ filter: /^jexo:kit$/ }, () => ({ path }))
    },
  }
}

/** The documents of views as they are served, by URI, so that nothing is built at run time. */
export function frozenPages(pages: Readonly<Record<string, string>>): Plugin {
  const contents = `globalThis[Symbol.for('jexo.pages')] = { frozen: JSON.parse(${JSON.stringify(JSON.stringify(pages))}) }`
  return {
    name: 'jexo-frozen-pages',
    setup({ onResolve, onLoad }) {
      onResolve({ filter: /^jexo:pages$/ }, ({ path }) => ({ path, namespace: 'jexo-pages', sideEffects: true }))
      onLoad({ filter: /.*/, namespace: 'jexo-pages' }, () => ({ contents }))
    },
  }
}
