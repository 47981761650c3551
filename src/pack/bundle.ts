import { basename, dirname, join } from 'node:path'
import type { BuildFailure, Plugin } from 'esbuild'
import { isJexoError, messageOf } from '../errors.js'
import { esbuild } from '../esbuild.js'
import { shownPath } from '../kit-file/kit-file.js'
import { compiledFile } from '../own-files.js'
import type { MadeWrap } from '../wrap/source/registry.js'
import type { AssetCollector } from './assets.js'
import { packErrors } from './errors.js'
import { carriedClients, latePackages, missingPackages } from './late-packages.js'
import { modulePlugin } from './module-plugin.js'
import {
  englishOnly,
  frozenPages,
  frozenWraps,
  kitItself,
  lateBuiltins,
  nativeParts,
  ownPackages,
} from './plugins.js'

/** A kit and its imports as one module, with a source map. */
export interface Bundle {
  code: string
  map: string
  /** Names of the packages in it. */
  packages: readonly string[]
  /** Clients for a store that are in it. */
  clients: readonly string[]
}

/** Additional content of a packed kit, besides its imports. */
export interface BundleNeeds {
  readonly hasDurable: boolean
  /** Packages that its feeds import. */
  readonly feedPackages: ReadonlySet<string>
  /** The documents of its views, by URI. */
  readonly pages: Readonly<Record<string, string>>
}

/** Bundles a kit with the server code. Rejects with a `JexoError` that says what cannot be included, and where. */
export async function bundle(
  kitPath: string,
  assets: AssetCollector,
  wraps: readonly MadeWrap[],
  { hasDurable, feedPackages, pages }: BundleNeeds,
): Promise<Bundle> {
  const built = compiledFile('.').replace(/[\\/]$/, '')
  const entry = [
    `import './guard.js'`,
    `import { runPacked } from './pack/packed-main.js'`,
    ...(wraps.length > 0 ? [`import 'jexo:frozen'`] : []),
    ...(Object.keys(pages).length > 0 ? [`import 'jexo:pages'`] : []),
    // After the variables are known.
    `runPacked(() => import('jexo:kit'))`,
  ].join('\n')
  const clients = carriedClients(built, hasDurable, feedPackages)
  const bundled = async (plugins: readonly Plugin[]) => {
    const result = await esbuild().build({
      stdin: { contents: entry, resolveDir: built, sourcefile: 'entry.js', loader: 'js' },
      bundle: true,
      write: false,
      metafile: true,
      outfile: join(dirname(kitPath), 'packed.mjs'),
      sourcemap: 'external',
      sourcesContent: false,
      platform: 'node',
      format: 'esm',
      target: 'node20',
      minifySyntax: true,
      minifyWhitespace: true,
      // Otherwise paths of this machine would be part of it. Function names are kept, since some code depends on them.
      minifyIdentifiers: true,
      keepNames: true,
      legalComments: 'none',
      logLevel: 'silent',
      banner: { js: requireForCommonJs },
      plugins: [
        kitItself(kitPath),
        lateBuiltins(),
        frozenWraps(wraps),
        frozenPages(pages),
        latePackages(built, clients),
        missingPackages(built),
        ownPackages(built),
        nativeParts(assets),
        modulePlugin(assets),
        ...plugins,
      ],
    })
    const textOf = (ending: string) => result.outputFiles.find(({ path }) => path.endsWith(ending))?.text ?? ''
    const packages = Object.keys(result.metafile.inputs).flatMap((path) => packageIn(path) ?? [])
    return { code: textOf('.mjs'), map: textOf('.map'), packages: [...new Set(packages)].sort() }
  }
  try {
    const small = await bundled([englishOnly()])
    const { code, map, packages } = /\.locales\b/.test(small.code) ? await bundled([]) : small
    const whole = await assets.withContents(code)
    const added = whole.slice(0, whole.length - code.length).split('\n').length - 1
    return { code: whole, map: steadyMap(map, added, basename(built)), packages, clients }
  } catch (error) {
    if (isJexoError(error)) throw error
    throw packErrors.packFailed(shownPath(kitPath), failureOf(error))
  }
}

/**
 * Shifts a source map, and names its sources independently of their location, so that packing twice gives the same
 * bytes.
 */
export function steadyMap(text: string, lines: number, built = 'dist'): string {
  const map = JSON.parse(text) as { sources: string[]; mappings: string }
  const sources = map.sources.map((source) => {
    const inPackage = source.lastIndexOf('node_modules/')
    if (inPackage >= 0) return source.slice(inPackage)
    const at = source.lastIndexOf(`${built}/`)
    return source.startsWith('../') && at >= 0 ? `jexo/${source.slice(at)}` : source
  })
  return JSON.stringify({ ...map, sources, mappings: ';'.repeat(lines) + map.mappings })
}

/** CommonJS packages load built-in modules with `require`, which ES modules do not have. */
const requireForCommonJs =
  "import { createRequire as jexoCreateRequire } from 'node:module';const require = jexoCreateRequire(import.meta.url);"

/** The package of a bundled file. */
const packageIn = (path: string) => /^.*node_modules\/((?:@[^/]+\/)?[^/]+)\//.exec(path)?.[1]

function failureOf(error: unknown): string {
  const [first] = (error as BuildFailure).errors ?? []
  if (!first) return messageOf(error)
  const detail = first.detail
  if (isJexoError(detail)) return detail.message
  return first.location ? `${first.text} (${first.location.file}:${first.location.line})` : first.text
}
