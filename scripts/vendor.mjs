/**
 * Builds packages that only this library uses into `dist/vendor/`, and points the compiled files there: one package to
 * install, with only the used parts of each dependency. `dist/vendor/packages.json` lists them with their versions and
 * licences.
 */
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { isBuiltin } from 'node:module'
import { dirname, join, relative, sep } from 'node:path'
import { pathToFileURL } from 'node:url'
import { brotliCompressSync } from 'node:zlib'
import { build } from 'esbuild'
import { root } from './prepare.mjs'

const dist = join(root, 'dist')
const vendor = join(dist, 'vendor')
const manifest = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8'))
/** Not built in: packages that users share with this library, and packages that only provide types. */
const apart = new Set([...Object.keys(manifest.dependencies), ...Object.keys(manifest.peerDependencies), 'jexo'])
const importing = /((?:\bfrom|\bimport)\s*|\bimport\()(['"])([^'"\s.$][^'"\s$]*)\2/g

export const packageOf = (specifier) => specifier.split('/', specifier.startsWith('@') ? 2 : 1).join('/')
const isVendored = (specifier) =>
  !isBuiltin(specifier) && !specifier.includes(':') && !apart.has(packageOf(specifier))
/** File name below `dist/vendor/` for an import of a compiled file. */
export const vendoredName = (specifier) => specifier.replace(/^@/, '').replace(/\.js$/, '').replaceAll('/', '-')

/** Compiled files, except those that are bundled already. */
function compiledFiles(ending, folder = dist) {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name)
    if (entry.isDirectory())
      return path === vendor || path === join(dist, 'command') || path.endsWith(join('loupe', 'page'))
        ? []
        : compiledFiles(ending, path)
    return entry.name.endsWith(ending) ? [path] : []
  })
}

const read = (ending) => compiledFiles(ending).map((path) => ({ path, code: readFileSync(path, 'utf8') }))

/** Built-in modules of Node for CommonJS packages, without a `require`, which ES modules do not have. */
const builtins = {
  name: 'builtins',
  setup({ onResolve, onLoad }) {
    onResolve({ filter: /.*/ }, ({ path, kind, namespace }) => {
      if (namespace === 'module') return { path, external: true }
      if (namespace === 'required') return { path: path.slice('module:'.length), namespace: 'module' }
      return kind === 'require-call' && isBuiltin(path) ? { path, namespace: 'required' } : undefined
    })
    onLoad({ filter: /.*/, namespace: 'required' }, ({ path }) => ({
      contents: `module.exports = require('module:${path}').default`,
    }))
    onLoad({ filter: /.*/, namespace: 'module' }, ({ path }) => ({ contents: `export { default } from '${path}'` }))
  },
}

/** The names that compiled files import of a package; undefined if they use all of it. */
function namesImported(files, specifier) {
  const names = new Set()
  const from = new RegExp(
    `\\b(import|export)\\s*([^;'"]*?)\\s*from\\s*['"]${specifier.replace(/[.]/g, '\\$&')}['"]`,
    'g',
  )
  for (const { code } of files) {
    if (code.includes(`import('${specifier}')`)) return undefined
    for (const [, , clause] of code.matchAll(from)) {
      if (clause.includes('*')) return undefined
      const [, alone, braced = ''] = /^(?:type\s+(?=[\w{]))?([\w$]+)?[\s,]*(?:\{([^}]*)\})?$/.exec(clause) ?? []
      if (alone !== undefined) names.add('default')
      for (const part of braced.split(','))
        if (part.trim() !== '')
          names.add(
            part
              .trim()
              .replace(/^type\s+/, '')
              .split(/\s+as\s+/)[0],
          )
    }
  }
  return [...names]
}

/** The table of the token counter, compressed to a third of its size, in a separate file. */
const tokenTable = {
  name: 'token-table',
  setup({ onLoad }) {
    onLoad({ filter: /bpeRanks[\\/]o200k_base\.js$/ }, async ({ path }) => {
      const { default: ranks } = await import(pathToFileURL(path).href)
      writeFileSync(join(vendor, 'o200k_base.json.br'), brotliCompressSync(JSON.stringify(ranks)))
      const contents = [
        `import { readFileSync } from 'node:fs'`,
        `import { brotliDecompressSync } from 'node:zlib'`,
        `const table = readFileSync(new URL('./o200k_base.json.br', import.meta.url))`,
        `export default JSON.parse(brotliDecompressSync(table).toString())`,
      ]
      return { contents: contents.join('\n') }
    })
  },
}

async function allNames(specifier) {
  const module = await import(specifier)
  const { module: hasModules } = manifestOf(packageOf(specifier))
  // Node loads the CommonJS form of these packages, whose default export is the whole module; the form for bundlers has
  // none.
  const ofCommonJs = '__esModule' in module && hasModules ? ['default'] : []
  return Object.keys(module).filter((name) => !['module.exports', '__esModule', ...ofCommonJs].includes(name))
}

const manifestOf = (name) => JSON.parse(readFileSync(join(root, 'node_modules', name, 'package.json'), 'utf8'))

async function entryFor(specifier, files, folder) {
  const names = namesImported(files, specifier) ?? (await allNames(specifier))
  const file = join(folder, `${vendoredName(specifier)}.mjs`)
  writeFileSync(file, `export { ${names.join(', ')} } from '${specifier}'\n`)
  return { in: file, out: vendoredName(specifier) }
}

export async function vendorPackages() {
  const files = read('.js')
  const wanted = new Set()
  for (const { code } of files)
    for (const [, , , specifier] of code.matchAll(importing)) if (isVendored(specifier)) wanted.add(specifier)
  if (wanted.size === 0) return
  rmSync(vendor, { recursive: true, force: true })
  mkdirSync(vendor)
  const entries = join(root, '.vendor-entries')
  mkdirSync(entries, { recursive: true })
  try {
    const entryPoints = []
    for (const specifier of [...wanted].sort()) entryPoints.push(await entryFor(specifier, files, entries))
    const { metafile } = await build({
      entryPoints,
      outdir: vendor,
      bundle: true,
      splitting: true,
      metafile: true,
      format: 'esm',
      platform: 'node',
      mainFields: ['module', 'main'],
      target: 'node20',
      minify: true,
      keepNames: true,
      legalComments: 'none',
      external: [...apart],
      plugins: [builtins, tokenTable],
      logLevel: 'warning',
    })
    writeFileSync(join(vendor, 'packages.json'), `${JSON.stringify(packagesIn(metafile), null, 2)}\n`)
  } finally {
    rmSync(entries, { recursive: true, force: true })
  }
  lead(files, wanted)
  const types = read('.d.ts')
  for (const specifier of wanted) {
    const names = namesImported(types, specifier) ?? []
    if (names.length > 0)
      writeFileSync(join(vendor, `${vendoredName(specifier)}.d.ts`), names.map(unknownType).join(''))
  }
  lead(types, wanted)
}

/** The doors do not export types of these packages. */
const unknownType = (name) => `export type ${name} = unknown\nexport declare const ${name}: unique symbol\n`

/** Rewrites imports of these packages to `dist/vendor/`. */
function lead(files, wanted) {
  for (const { path, code } of files) {
    const led = code.replace(importing, (whole, before, quote, specifier) => {
      if (!wanted.has(specifier)) return whole
      const to = relative(dirname(path), join(vendor, `${vendoredName(specifier)}.js`))
        .split(sep)
        .join('/')
      return `${before}${quote}${to.startsWith('.') ? to : `./${to}`}${quote}`
    })
    if (led !== code) writeFileSync(path, led)
  }
}

/** Name, version and licence text of each package that is built in. */
function packagesIn(metafile) {
  const roots = new Set(
    Object.keys(metafile.inputs).flatMap((path) => /^.*node_modules\/(?:@[^/]+\/)?[^/]+/.exec(path)?.[0] ?? []),
  )
  return [...roots].sort().map((path) => {
    const { name, version, license } = JSON.parse(readFileSync(join(root, path, 'package.json'), 'utf8'))
    const file = readdirSync(join(root, path)).find((entry) => /^licen[cs]e/i.test(entry))
    return { name, version, license, text: file === undefined ? '' : readFileSync(join(root, path, file), 'utf8') }
  })
}

if (process.argv[1] === import.meta.filename) await vendorPackages()
