import { existsSync } from 'node:fs'
import { chmod, mkdir, writeFile } from 'node:fs/promises'
import { basename, dirname, join, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { type BuildFailure, build, type Plugin } from 'esbuild'
import { isJexoError, problems } from '../errors.js'
import type { Kit } from '../kit/kit.js'
import { loadKit, shownPath } from '../target/kit-file.js'
import { version } from '../version.js'
import { type MadeWrap, wrapRegistry } from '../wrap/registry.js'
import { AssetCollector, assetPlugin } from './assets.js'
import { packagesFolder, packedMark } from './mark.js'

export interface Packed {
  file: string
  bytes: number
  kit: Kit
  /** Files that the kit reads and that travel inside. */
  assets: readonly string[]
  /** Packages with native parts that travel inside: it runs on machines such as this one only. */
  packages: readonly string[]
}

/**
 * Packs a kit and everything it imports into one ESM file that needs only Node. Files that the kit names by
 * `new URL('./…', import.meta.url)` travel inside. Rejects where something cannot be carried: at build time, not later.
 */
export async function packFile(kitFile: string, outFolder: string): Promise<Packed> {
  const { kit, wraps } = await loadWithWraps(kitFile)
  const path = resolve(kitFile)
  const assets = new AssetCollector(
    path,
    wraps.flatMap(({ hollowPath }) => hollowPath ?? []),
  )
  for (const name of new Set(wraps.flatMap(({ packages = [] }) => packages))) assets.takePackage(name)
  const code = await bundle(path, assets, wraps)
  const file = join(resolve(outFolder), `${basename(path).replace(/(\.kit)?\.[cm]?[jt]sx?$/, '')}.mjs`)
  const head = `#!/usr/bin/env node\n${packedMark} ${version}: ${kit.name} ${kit.version}. Run it with node; --help says how.\n`
  await mkdir(resolve(outFolder), { recursive: true })
  await writeFile(file, head + code)
  await chmod(file, 0o755)
  return {
    file,
    bytes: Buffer.byteLength(head + code),
    kit,
    assets: assets.files.filter((name) => !name.startsWith(`${packagesFolder}/`)),
    packages: [...new Set(wraps.flatMap(({ packages = [] }) => packages))],
  }
}

/** Runs the kit once, and hears what it wraps: the plans travel along, so that nothing has to be read again where it runs. */
async function loadWithWraps(kitFile: string): Promise<{ kit: Kit; wraps: MadeWrap[] }> {
  const wraps: MadeWrap[] = []
  const registry = wrapRegistry()
  registry.onMade = (made) => wraps.push(made)
  try {
    return { kit: await loadKit(kitFile), wraps }
  } finally {
    registry.onMade = undefined
  }
}

async function bundle(kitPath: string, assets: AssetCollector, wraps: readonly MadeWrap[]): Promise<string> {
  const built = fileURLToPath(new URL('..', import.meta.url))
  const entry = [
    `import ${JSON.stringify(join(built, 'guard.js'))}`,
    `import { runPacked } from ${JSON.stringify(join(built, 'pack/packed-main.js'))}`,
    ...(wraps.length > 0 ? [`import 'jexo:frozen'`] : []),
    // After it was seen which variables there are.
    `runPacked(() => import(${JSON.stringify(kitPath)}))`,
  ].join('\n')
  const bundled = async (plugins: readonly Plugin[]) => {
    const result = await build({
      stdin: { contents: entry, resolveDir: built, sourcefile: 'entry.js', loader: 'js' },
      bundle: true,
      write: false,
      platform: 'node',
      format: 'esm',
      target: 'node20',
      minifySyntax: true,
      minifyWhitespace: true,
      legalComments: 'none',
      logLevel: 'silent',
      banner: { js: requireForCommonJs },
      plugins: [frozenWraps(wraps), ownPackages(built), nativeParts(), assetPlugin(assets), ...plugins],
    })
    return result.outputFiles[0]?.text ?? ''
  }
  try {
    const small = await bundled([englishOnly()])
    return await assets.withContents(/\.locales\b/.test(small) ? await bundled([]) : small)
  } catch (error) {
    if (isJexoError(error)) throw error
    throw problems.packFailed(shownPath(kitPath), failureOf(error))
  }
}

/** CommonJS packages ask for Node's modules by require, which an ES module does not have. */
const requireForCommonJs =
  "import { createRequire as jexoCreateRequire } from 'node:module';const require = jexoCreateRequire(import.meta.url);"

/** Kits outside a project find Jexo, and zod, where this Jexo is installed; as when they are loaded. */
function ownPackages(built: string): Plugin {
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
function englishOnly(): Plugin {
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
function frozenWraps(wraps: readonly MadeWrap[]): Plugin {
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

function nativeParts(): Plugin {
  return {
    name: 'jexo-native-parts',
    setup({ onLoad }) {
      onLoad({ filter: /\.node$/ }, ({ path }) => {
        throw problems.packNative(path)
      })
    },
  }
}

function failureOf(error: unknown): string {
  const [first] = (error as BuildFailure).errors ?? []
  if (!first) return error instanceof Error ? error.message : String(error)
  const detail = first.detail
  if (isJexoError(detail)) return detail.message
  return first.location ? `${first.text} (${first.location.file}:${first.location.line})` : first.text
}
