import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { dirname, join, relative, resolve } from 'node:path'
import { esbuild } from '../esbuild.js'
import { clientSide, hasPackage } from '../optional-packages.js'
import { compressed } from './compressed.js'

/** Packages inside Jexo that few servers use: the compiler of schemas, the second engine for patterns, JSON logs, and metrics. */
const lateParts = ['kit/ajv.js', 'vendor/re2js.js', 'vendor/pino.js', 'vendor/prom-client.js']

/** The path below `built`, the folder of the compiled Jexo, of a late part that a module there imports; undefined for other modules. */
export function latePart(built: string, path: string, importerFolder: string): string | undefined {
  // The same on every machine and for every importing module.
  const part = relative(built, resolve(importerFolder, path)).replaceAll('\\', '/')
  return lateParts.includes(part) ? part : undefined
}

/** The code of a late part, bundled and compressed: as it was built with Jexo. In tests of the sources, it is built now. */
export async function latePartCode(built: string, part: string): Promise<Buffer> {
  const file = builtFile(built, part)
  return existsSync(file) ? readFileSync(file) : compressed(await bundledCode(`./${part}`, built))
}

/** Bundles and compresses all late parts below the folder of the compiled Jexo. For the build. */
export async function buildLateParts(built: string): Promise<void> {
  for (const part of lateParts) {
    const file = builtFile(built, part)
    mkdirSync(dirname(file), { recursive: true })
    writeFileSync(file, compressed(await bundledCode(`./${part}`, built)))
  }
}

const builtFile = (built: string, part: string) => join(built, 'pack/late', `${part.replace('/', '-')}.br`)

/** A package and its imports as one CommonJS module. */
export async function bundledCode(name: string, resolveDir: string): Promise<string> {
  const { outputFiles } = await esbuild().build({
    stdin: { contents: `module.exports = ${requiring(name)}`, resolveDir },
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
function requiring(name: string): string {
  const side = clientSide[name] ?? []
  const names = side.length > 0 && side.every(hasPackage) ? side : [name]
  const loaded = names.map((one) => `require(${JSON.stringify(one)})`)
  return loaded.length === 1 ? String(loaded[0]) : `Object.assign({}, ${loaded.join(', ')})`
}
