import { createRequire } from 'node:module'
import { join } from 'node:path'
import type { Plugin } from 'esbuild'
import { compressed } from './compressed.js'
import { bundledCode, latePart, latePartCode } from './late-parts.js'

/** Clients for Redis and for devices, which are included if they are installed. */
const lateClients = ['ioredis', 'bullmq', 'node-opcua'] as const

/** The clients that a packed kit includes: BullMQ for durable tools, and those that its feeds need. */
export function carriedClients(built: string, hasDurable: boolean, feedPackages: ReadonlySet<string>): string[] {
  const isNeeded = (name: string) => name === 'ioredis' || (name === 'bullmq' ? hasDurable : feedPackages.has(name))
  return lateClients.filter((name) => isNeeded(name) && isInstalled(name, built))
}

/**
 * Bundles rarely used packages, and clients for a store, as compressed text that becomes code at its first `import()`.
 * Node would parse plain code at every start.
 *
 * @param built folder of the compiled Jexo
 * @param carried clients for a store; a packed file that needs another says that it is missing
 */
export function latePackages(built: string, carried: readonly string[]): Plugin {
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
          const part = latePart(built, path, resolveDir)
          return part === undefined ? undefined : { path: part, namespace: 'jexo-late', pluginData: built }
        },
      )
      plugin.onLoad({ filter: /.*/, namespace: 'jexo-late' }, async ({ path, pluginData }) => ({
        contents: unpacking(await codeOf(path, pluginData)),
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

/** Compressed code of a part of Jexo, or of a client. */
const codeOf = async (name: string, resolveDir: string): Promise<Buffer> =>
  name.endsWith('.js') ? latePartCode(resolveDir, name) : compressed(await bundledCode(name, resolveDir))

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
