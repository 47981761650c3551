/**
 * Module hooks: TypeScript is compiled while it is loaded, in place, so that `import.meta.url` is correct. A kit file
 * outside any project finds the `jexo` and `zod` of this installation. The hooks run on the kit's thread if Node
 * supports that (`hooks`), else on their own.
 */

import { existsSync, readFileSync } from 'node:fs'
import { extname } from 'node:path'
import { fileURLToPath } from 'node:url'
import type { MessagePort } from 'node:worker_threads'
import type { compileTypeScript } from './compile-typescript.js'
import { type CompiledEntry, compiledEntry } from './compiled-cache.js'
import { generationParam } from './generation.js'

interface ResolveContext {
  parentURL?: string
  conditions: string[]
}
type Resolved = { url: string; format?: string | null; shortCircuit?: boolean }
type Next<Result> = (specifier: string, context: ResolveContext) => Result
type Loaded = { format: string; source?: string | Uint8Array; shortCircuit?: boolean }
type NextLoad<Result> = (url: string, context: object) => Result

const typeScript = new Set(['.ts', '.mts', '.tsx'])
const ownPackages = /^(jexo|zod|graphql|aedes)(\/|$)/
const wantedAgain: Record<string, string[]> = {
  '.js': ['.ts', '.tsx'],
  '.mjs': ['.mts'],
  '': ['.ts', '.js', '/index.ts', '/index.js'],
}

let tell: (loaded: string | ImportedFile) => void = () => {}

/** A file of the author, and one of its importers. */
export interface ImportedFile {
  readonly file: string
  readonly by: string
}

const isAuthors = (url: string) => url.startsWith('file:') && !url.includes('/node_modules/') && !isOwn(url)

/** Called once by Node. Reports each loaded file of the author to the port. */
export function initialize(data?: { port: MessagePort }): void {
  if (data) tell = (loaded) => data.port.postMessage(loaded)
}

export async function resolve(
  specifier: string,
  context: ResolveContext,
  next: Next<Promise<Resolved>>,
): Promise<Resolved> {
  let failure: unknown
  for (const [wanted, from] of attempts(specifier, context)) {
    try {
      return resolvedTo(await next(wanted, from), context)
    } catch (error) {
      failure ??= error
    }
  }
  throw failure
}

/** The same hooks for the kit's thread, with a loaded compiler; reports the files to `listener`. */
export function hooksFor(listener: typeof tell, compile: typeof compileTypeScript) {
  tell = listener
  return {
    resolve(specifier: string, context: ResolveContext, next: Next<Resolved>): Resolved {
      let failure: unknown
      for (const [wanted, from] of attempts(specifier, context)) {
        try {
          return resolvedTo(next(wanted, from), context)
        } catch (error) {
          failure ??= error
        }
      }
      throw failure
    },
    load(url: string, context: object, next: NextLoad<Loaded>): Loaded {
      const file = typeScriptFile(url)
      return file === undefined ? next(url, context) : moduleOf(file.entry.read() ?? compiledNow(file, compile))
    },
  }
}

/**
 * Resolution order: the import as written, its TypeScript source, the packages of this Jexo. The first failure is the
 * one that is reported.
 */
function* attempts(specifier: string, context: ResolveContext): Generator<[string, ResolveContext]> {
  yield [specifier, context]
  const url = sourceBehind(specifier, context.parentURL)
  if (url !== undefined) yield [url, context]
  else if (ownPackages.test(specifier)) yield [specifier, { ...context, parentURL: import.meta.url }]
}

function resolvedTo(resolved: Resolved, { parentURL }: ResolveContext): Resolved {
  if (parentURL !== undefined && isAuthors(resolved.url) && isAuthors(parentURL))
    tell({ file: fileURLToPath(resolved.url), by: fileURLToPath(parentURL) })
  return { ...resolved, url: bundledDoor(resolved.url) ?? inGeneration(resolved.url, parentURL) }
}

/** When a kit is reloaded, its own modules are reloaded too: they inherit its generation. Packages do not. */
function inGeneration(url: string, parentURL: string | undefined): string {
  const generation = parentURL?.startsWith('file:') ? new URL(parentURL).searchParams.get(generationParam) : null
  if (!generation || !url.startsWith('file:') || url.includes('/node_modules/') || isOwn(url)) return url
  const marked = new URL(url)
  marked.searchParams.set(generationParam, generation)
  return marked.href
}

/** `dist/`. This file is one folder below it, bundled or not. */
const ownFolder = new URL('..', import.meta.url).href
const commandFolder = `${ownFolder}command/`
const isBundled = import.meta.url.startsWith(commandFolder)

/** The bundled command and the kits that it loads share one copy of this library: `dist/link.js` → `dist/command/link.js`. */
function bundledDoor(url: string): string | undefined {
  if (!isBundled || !url.startsWith(ownFolder)) return undefined
  const [, door] = /^([a-z]+)\.js$/.exec(url.slice(ownFolder.length)) ?? []
  const bundled = `${commandFolder}${door}.js`
  return door !== undefined && existsSync(fileURLToPath(bundled)) ? bundled : undefined
}

const isOwn = (url: string) => url.startsWith(ownFolder)

/** The TypeScript file for an import that names its compiled form, or has no extension. */
function sourceBehind(specifier: string, parentURL: string | undefined): string | undefined {
  if (!/^(\.{1,2}\/|file:|\/)/.test(specifier) || (parentURL === undefined && !specifier.startsWith('file:')))
    return undefined
  const url = new URL(specifier, parentURL)
  const extension = extname(url.pathname)
  const stem = extension in wantedAgain ? url.href.slice(0, url.href.length - extension.length) : url.href
  const endings = wantedAgain[extension] ?? wantedAgain[''] ?? []
  return endings.map((ending) => stem + ending).find((candidate) => existsSync(fileURLToPath(candidate)))
}

/** The compiler is loaded with the first file that is not in the cache. */
export async function load(url: string, context: object, next: NextLoad<Promise<Loaded>>): Promise<Loaded> {
  const file = typeScriptFile(url)
  if (file === undefined) return next(url, context)
  const kept = file.entry.read()
  if (kept !== undefined) return moduleOf(kept)
  const { compileTypeScript } = await import('./compile-typescript.js')
  return moduleOf(compiledNow(file, compileTypeScript))
}

interface TypeScriptFile {
  readonly path: string
  readonly source: string
  readonly entry: CompiledEntry
}

/** Undefined for every other file. */
function typeScriptFile(url: string): TypeScriptFile | undefined {
  if (isAuthors(url)) tell(fileURLToPath(url))
  if (!url.startsWith('file:') || !typeScript.has(extname(new URL(url).pathname))) return undefined
  const path = fileURLToPath(url)
  const source = readFileSync(path, 'utf8')
  return { path, source, entry: compiledEntry(source, path) }
}

function compiledNow({ path, source, entry }: TypeScriptFile, compile: typeof compileTypeScript): string {
  const code = compile(source, path)
  entry.write(code)
  return code
}

const moduleOf = (source: string): Loaded => ({ format: 'module', source, shortCircuit: true })
