import { existsSync } from 'node:fs'
import { dirname, resolve } from 'node:path'
import type { Plugin } from 'esbuild'
import { problems } from '../errors.js'
import type { MadeWrap } from '../wrap/registry.js'

/** Kits outside a project find Jexo, and zod, where this Jexo is installed; as when they are loaded. */
export function ownPackages(built: string): Plugin {
  return {
    name: 'jexo-own-packages',
    setup({ onResolve, resolve: resolveAgain }) {
      onResolve({ filter: /^(jexo|zod|graphql|aedes)(\/|$)/ }, async ({ path, resolveDir, kind, pluginData }) => {
        if (pluginData === 'again') return undefined
        const near = await resolveAgain(path, { kind, resolveDir, pluginData: 'again' })
        return near.errors.length === 0
          ? near
          : resolveAgain(path, { kind, resolveDir: built, pluginData: 'again' })
      })
      // What names its compiled form, as TypeScript asks for, is found by its source.
      onResolve({ filter: /^\.{1,2}\/.*\.m?js$/ }, ({ path, resolveDir }) => {
        const wanted = resolve(resolveDir, path)
        const source = wanted.replace(/js$/, 'ts')
        return existsSync(wanted) || !existsSync(source) ? undefined : { path: source }
      })
    },
  }
}

/** zod carries its messages in forty languages, a third of a packed file; they stay out where nobody asks for `locales`. */
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

/** What wraps find instead of their sources: plans, and the modules behind them. The compiler stays at home. */
export function frozenWraps(wraps: readonly MadeWrap[]): Plugin {
  const imports = wraps.flatMap(({ modulePath }, at) =>
    modulePath === undefined ? [] : [`import * as module${at} from ${JSON.stringify(modulePath)}`],
  )
  const entries = wraps.map(({ key, plan, modulePath }, at) => {
    const module = modulePath === undefined ? '' : `, module: module${at}`
    return `${JSON.stringify(key)}: { plan: ${JSON.stringify(plan)}${module} }`
  })
  const contents = `${imports.join('\n')}\nglobalThis[Symbol.for('jexo.wraps')] = { frozen: { ${entries.join(', ')} } }`
  return {
    name: 'jexo-frozen-wraps',
    setup({ onResolve, onLoad }) {
      onResolve({ filter: /^jexo:frozen$/ }, ({ path }) => ({ path, namespace: 'jexo-frozen', sideEffects: true }))
      onLoad({ filter: /.*/, namespace: 'jexo-frozen' }, () => ({ contents, resolveDir: process.cwd() }))
    },
  }
}

export function nativeParts(): Plugin {
  return {
    name: 'jexo-native-parts',
    setup({ onLoad }) {
      onLoad({ filter: /\.node$/ }, ({ path }) => {
        throw problems.packNative(path)
      })
    },
  }
}
