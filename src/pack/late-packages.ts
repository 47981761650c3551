import { createRequire } from 'node:module'
import { join, resolve } from 'node:path'
import { gzipSync } from 'node:zlib'
import type { Plugin } from 'esbuild'
import { esbuild } from '../esbuild.js'

/** Clients for a store in Redis, which are carried if they are installed. */
const storeClients = ['ioredis', 'bullmq'] as const

/** Which of them a packed kit carries: BullMQ is large, and only durable tools need it. */
export const carriedClients = (built: string, hasDurable: boolean): string[] =>
  storeClients.filter((name) => (name !== 'bullmq' || hasDurable) && isInstalled(name, built))

/**
 * Carries what few servers need as compressed text, which becomes code at the first `import()`: the second engine for patterns, the compiler of schemas, and clients
 * for a store. As code, they would be read at every start.
 *
 * @param built folder of the compiled Jexo
 * @param carried clients for a store; a packed file that needs another says that it is missing
 */
export function latePackages(built: string, carried: readonly string[]): Plugin {
  const late = new Set([join(built, 'kit/ajv.js'), join(built, 'vendor/re2js.js')])
  const clients: readonly string[] = storeClients
  return {
    name: 'jexo-late-packages',
    setup(plugin) {
      plugin.onResolve({ filter: /^ioredis$|^bullmq$|\/ajv\.js$|\/re2js\.js$/ }, ({ path, kind, resolveDir }) => {
        const isOwn = resolveDir.startsWith(built) && kind === 'dynamic-import'
        if (isOwn && clients.includes(path) && !carried.includes(path)) return { path, external: true }
        const isLate = isOwn && (!path.startsWith('.') || late.has(resolve(resolveDir, path)))
        // By its short name, which is the same on every machine.
        return isLate ? { path, namespace: 'jexo-late', pluginData: resolveDir } : undefined
      })
      plugin.onLoad({ filter: /.*/, namespace: 'jexo-late' }, async ({ path, pluginData }) => ({
        contents: unpacking(gzipSync(await codeOf(path, pluginData), { level: 9 })),
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
    stdin: { contents: `module.exports = require(${JSON.stringify(name)})`, resolveDir },
    bundle: true,
    write: false,
    platform: 'node',
    format: 'cjs',
    target: 'node20',
    minify: true,
    legalComments: 'none',
    logLevel: 'silent',
  })
  return outputFiles[0]?.text ?? ''
}

/** The text is base64, so it needs no escaping in code. */
const unpacking = (code: Buffer): string =>
  [
    `const { gunzipSync } = require('node:zlib')`,
    `const code = gunzipSync(Buffer.from('${code.toString('base64')}', 'base64')).toString()`,
    `new Function('module', 'require', code)(module, require)`,
  ].join('\n')
