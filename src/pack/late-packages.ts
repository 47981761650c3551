import { createRequire } from 'node:module'
import { join, relative, resolve } from 'node:path'
import type { Plugin } from 'esbuild'
import { esbuild } from '../esbuild.js'
import { clientSide } from '../optional-packages.js'
import { compressed } from './compressed.js'

/** Clients for Redis and for devices, which are included if they are installed. */
const lateClients = ['ioredis', 'bullmq', 'node-opcua'] as const

/** The clients that a packed kit includes: BullMQ for durable tools, and those that its feeds need. */
export function carriedClients(built: string, hasDurable: boolean, feedPackages: ReadonlySet<string>): string[] {
  const isNeeded = (name: string) => name === 'ioredis' || (name === 'bullmq' ? hasDurable : feedPackages.has(name))
  return lateClients.filter((name) => isNeeded(name) && isInstalled(name, built))
}

/** Packages inside Jexo that few servers use: the compiler of schemas, the second engine for patterns, JSON logs, and metrics. */
const lateParts = ['kit/ajv.js', 'vendor/re2js.js', 'vendor/pino.js', 'vendor/prom-client.js']

/**
 * Bundles rarely used packages, and clients for a store, as compressed text that becomes code at its first `import()`.
 * Node would parse plain code at every start.
 *
 * @param built folder of the compiled Jexo
 * @param carried clients for a store; a packed file that needs another says that it is missing
 */
export function latePackages(built: string, carried: readonly string[]): Plugin {
  const late = new Set(lateParts.map((part) => join(built, part)))
  const clients: readonly string[] = lateClients
  return {
    name: 'jexo-late-packages',
    setup(plugin) {
      plugin.onResolve(
        { filter: /^ioredis$|^bullmq$|^node-opcua$|\/(ajv|re2js|pino|prom-client)\.js$/ },
        ({ path, kind, resolveDir }) => {
          const isOwn = resolveDir.startsWith(built) && kind === 'dynamic-import'
          if (isOwn && clients.includes(path) && !carried.includes(path)) return { path, external: true }
          if (!isOwn) return undefined
          if (!path.startsWith('.')) return { path, namespace: 'jexo-late', pluginData: resolveDir }
          const file = resolve(resolveDir, path)
          // Its path below `built` is the same on every machine and for every importing module.
          const name = `./${relative(built, file).replaceAll('\\', '/')}`
          return late.has(file) ? { path: name, namespace: 'jexo-late', pluginData: built } : undefined
        },
      )
      plugin.onLoad({ filter: /.*/, namespace: 'jexo-late' }, async ({ path, pluginData }) => ({
        contents: unpacking(compressed(await codeOf(path, pluginData))),
        resolveDir: pluginData,
      }))
    },
  }
}

function isInstalled(name: string, from: string): boolean {
  try {
    createRequire(join(from, 'x.js')).resolve(name)
    return true
  } catch {
    return false
  }
}

async function codeOf(name: string, resolveDir: string): Promise<string> {
  const { outputFiles } = await esbuild().build({
    stdin: { contents: `module.exports = ${requiring(name, resolveDir)}`, resolveDir },
    // Only another program of the package needs it, and reports it if it is missing.
    external: ['proper-lockfile'],
    bundle: true,
    write: false,
    platform: 'node',
    format: 'cjs',
    target: 'node20',
    minify: true,
    // The package distinguishes some of its objects by class name.
    keepNames: name in clientSide,
    legalComments: 'none',
    logLevel: 'silent',
  })
  return outputFiles[0]?.text ?? ''
}

/** An expression that loads a package, or the required part of it. */
function requiring(name: string, from: string): string {
  const side = clientSide[name] ?? []
  const names = side.length > 0 && side.every((one) => isInstalled(one, from)) ? side : [name]
  const loaded = names.map((one) => `require(${JSON.stringify(one)})`)
  return loaded.length === 1 ? String(loaded[0]) : `Object.assign({}, ${loaded.join(', ')})`
}

/** The text is base64, so it needs no escaping in code. */
const unpacking = (code: Buffer): string =>
  [
    `const { brotliDecompressSync } = require('node:zlib')`,
    `const code = brotliDecompressSync(Buffer.from('${code.toString('base64')}', 'base64')).toString()`,
    `new Function('module', 'require', code)(module, require)`,
  ].join('\n')

/** Excludes packages that are not installed. A packed file that needs one reports it. */
export function missingPackages(built: string): Plugin {
  return {
    name: 'jexo-missing-packages',
    setup(plugin) {
      plugin.onResolve({ filter: /^[a-z@][\w@/.-]*$/ }, ({ path, kind, resolveDir }) => {
        if (kind !== 'dynamic-import' || !resolveDir.startsWith(built) || isInstalled(path, built)) return undefined
        return { path, external: true }
      })
    },
  }
}
