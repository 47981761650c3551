import { existsSync, readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { basename, dirname, join, sep } from 'node:path'
import type ts from 'typescript'
import { loadCompiler } from './compiler.js'
import type { Compiler } from './docs.js'
import { keepPlatformFile, platformFile } from './platform-files.js'

/** The compiler's program for a module, and the file whose exports are read. */
export interface Program {
  readonly compiler: Compiler
  readonly program: ts.Program
  readonly entry: string
}

/** Creates a program for one file, with the options of its project. */
export function openProgram(compiler: Compiler, file: string): Program {
  const entry = typedEntry(compiler, file)
  const options = optionsFor(compiler, file)
  const host = keepingHost(compiler, options)
  const bare = compiler.createProgram({ rootNames: [entry], host, options: { ...options, noLib: true, types: [] } })
  const program = compiler.createProgram({
    rootNames: [entry],
    host,
    options: { ...options, ...platformOf(bare, options) },
  })
  return { compiler, program, entry }
}

/**
 * The JavaScript for a package's declarations, to examine function bodies; undefined if the module is not a declaration
 * file.
 */
export function openImplementation({ compiler, entry }: Program, file: string): Program | undefined {
  if (entry === file || !/\.[cm]?js$/.test(file)) return undefined
  const resolution = isCommonJs(file)
    ? { module: compiler.ModuleKind.NodeNext, moduleResolution: compiler.ModuleResolutionKind.NodeNext }
    : { module: compiler.ModuleKind.ESNext, moduleResolution: compiler.ModuleResolutionKind.Bundler }
  const options = {
    ...resolution,
    ...{ target: compiler.ScriptTarget.ES2022, allowJs: true, noEmit: true, noLib: true, types: [] },
    // Imports resolve to code instead of declarations.
    ...{ noDtsResolution: true, maxNodeModuleJsDepth: 20 },
  }
  return { compiler, program: compiler.createProgram({ rootNames: [file], options }), entry: file }
}

/** Reads each file once for both programs. */
function keepingHost(compiler: Compiler, options: ts.CompilerOptions): ts.CompilerHost {
  const host = compiler.createCompilerHost(options)
  const kept = new Map<string, ts.SourceFile | undefined>()
  const { getSourceFile } = host
  host.getSourceFile = (name, version, ...rest) => {
    if (!kept.has(name))
      kept.set(name, platformFile(name, options, version) ?? getSourceFile(name, version, ...rest))
    const file = kept.get(name)
    if (file) keepPlatformFile(name, options, version, file)
    return file
  }
  return host
}

const speaksOfNode =
  /['"]node:|\b(Buffer|NodeJS|process|require)\b|from ['"](fs|path|os|crypto|stream|util|events|https?|url|zlib)['"/]/

/**
 * Uses Node's types if a file needs them, else those of the web, which declare `URL` and `fetch` as well; reading both
 * takes twice as long.
 */
function platformOf(bare: ts.Program, { lib }: ts.CompilerOptions): ts.CompilerOptions {
  const isOnNode = bare.getSourceFiles().some(({ text }) => speaksOfNode.test(text))
  if (lib !== undefined) return { types: ['node'] }
  return isOnNode
    ? { types: ['node'], lib: ['lib.es2023.d.ts'] }
    : { types: [], lib: ['lib.es2023.d.ts', 'lib.dom.d.ts', 'lib.dom.iterable.d.ts', 'lib.dom.asynciterable.d.ts'] }
}

function optionsFor(compiler: Compiler, file: string): ts.CompilerOptions {
  const config = compiler.findConfigFile(dirname(file), compiler.sys.fileExists)
  const own = config === undefined ? {} : readConfig(compiler, config)
  return {
    target: compiler.ScriptTarget.ES2022,
    module: compiler.ModuleKind.ESNext,
    moduleResolution: compiler.ModuleResolutionKind.Bundler,
    jsx: compiler.JsxEmit.Preserve,
    ...own,
    ...(isCommonJs(file)
      ? { module: compiler.ModuleKind.NodeNext, moduleResolution: compiler.ModuleResolutionKind.NodeNext }
      : {}),
    // Options that the schemas depend on, whatever the project's settings are.
    strict: true,
    strictNullChecks: true,
    exactOptionalPropertyTypes: false,
    allowImportingTsExtensions: true,
    noEmit: true,
    allowJs: true,
    checkJs: false,
    maxNodeModuleJsDepth: 1,
    skipLibCheck: true,
    // Node's types are those of the project, or those of this package.
    ...(hasNodeTypes(file) ? {} : ownNodeTypes()),
  }
}

/** JavaScript that uses `module.exports`, which the compiler only sees with Node's module resolution. */
function isCommonJs(file: string): boolean {
  if (!/\.c?js$/.test(file)) return false
  const text = readFileSync(file, 'utf8')
  return /^\s*(module\.exports|exports[.[])/m.test(text) && !/^(import|export)\b/m.test(text)
}

/** True if the project of a file allows the import `./colony.ts`. */
export function allowsSourceEndings(file: string): boolean {
  const compiler = loadCompiler()
  const config = compiler.findConfigFile(dirname(file), compiler.sys.fileExists)
  if (config === undefined) return false
  const read = compiler.readConfigFile(config, compiler.sys.readFile)
  const { options } = compiler.parseJsonConfigFileContent(read.config ?? {}, compiler.sys, dirname(config))
  return options.allowImportingTsExtensions === true || options.rewriteRelativeImportExtensions === true
}

function readConfig(compiler: Compiler, config: string): ts.CompilerOptions {
  const read = compiler.readConfigFile(config, compiler.sys.readFile)
  const parsed = compiler.parseJsonConfigFileContent(read.config ?? {}, compiler.sys, dirname(config))
  const { lib, target, module, moduleResolution, paths, baseUrl, jsx, esModuleInterop, customConditions } =
    parsed.options
  const kept = { lib, target, module, moduleResolution, paths, baseUrl, jsx, esModuleInterop, customConditions }
  return Object.fromEntries(Object.entries(kept).filter(([, value]) => value !== undefined)) as ts.CompilerOptions
}

/** Without Node's types, a function that needs them is skipped with that reason. */
function ownNodeTypes(): ts.CompilerOptions {
  try {
    return { typeRoots: [dirname(dirname(createRequire(import.meta.url).resolve('@types/node/package.json')))] }
  } catch {
    return {}
  }
}

function hasNodeTypes(file: string): boolean {
  try {
    createRequire(file).resolve('@types/node/package.json')
    return true
  } catch {
    return false
  }
}

/** Location of the types of a JavaScript file: next to it, in the `types` of its package, or in an `@types` package. */
function typedEntry(compiler: Compiler, file: string): string {
  const packaged = packageOf(file)
  if (!packaged || !/\.[cm]?js$/.test(file)) return file
  const beside = file.replace(/\.([cm]?)js$/, '.d.$1ts')
  if (existsSync(beside)) return beside
  const { resolvedModule } = compiler.resolveModuleName(
    packaged.name,
    join(packaged.above, 'entry.ts'),
    { module: compiler.ModuleKind.ESNext, moduleResolution: compiler.ModuleResolutionKind.Bundler },
    compiler.sys,
  )
  return resolvedModule?.resolvedFileName.endsWith('.d.ts') || resolvedModule?.resolvedFileName.endsWith('.d.mts')
    ? resolvedModule.resolvedFileName
    : file
}

function packageOf(file: string): { name: string; above: string } | undefined {
  const parts = file.split(`${sep}node_modules${sep}`)
  if (parts.length < 2) return undefined
  for (let folder = dirname(file); basename(folder) !== 'node_modules'; folder = dirname(folder)) {
    const manifest = join(folder, 'package.json')
    if (!existsSync(manifest)) continue
    const { name } = JSON.parse(readFileSync(manifest, 'utf8')) as { name?: string }
    if (name !== undefined) return { name, above: parts.slice(0, -1).join(`${sep}node_modules${sep}`) }
  }
  return undefined
}
