/**
 * Module hooks, run by Node in a thread of their own: TypeScript is compiled as it is loaded, where it is, so that
 * `import.meta.url` is true; and a kit file outside any project finds Jexo (and zod) where this Jexo is installed.
 */

import { existsSync } from 'node:fs'
import { readFile } from 'node:fs/promises'
import { extname } from 'node:path'
import { fileURLToPath } from 'node:url'
import type { MessagePort } from 'node:worker_threads'
import { messageOf } from '../errors.js'
import { esbuild } from '../esbuild.js'
import { generationParam } from './generation.js'

interface ResolveContext {
  parentURL?: string
  conditions: string[]
}
type Resolved = { url: string; format?: string | null; shortCircuit?: boolean }
type NextResolve = (specifier: string, context?: ResolveContext) => Promise<Resolved>
type Loaded = { format: string; source?: string | Uint8Array; shortCircuit?: boolean }
type NextLoad = (url: string, context: object) => Promise<Loaded>

const loaders: Record<string, 'ts' | 'tsx'> = { '.ts': 'ts', '.mts': 'ts', '.tsx': 'tsx' }
const ownPackages = /^(jexo|zod|graphql|aedes)(\/|$)/
const wantedAgain: Record<string, string[]> = {
  '.js': ['.ts', '.tsx'],
  '.mjs': ['.mts'],
  '': ['.ts', '.js', '/index.ts', '/index.js'],
}

let loaded: MessagePort | undefined

/** A file of the author's, and one that imports it. */
export interface ImportedFile {
  readonly file: string
  readonly by: string
}

const isAuthors = (url: string) => url.startsWith('file:') && !url.includes('/node_modules/') && !isOwn(url)

/** Called once by Node; the port hears of each of the author's files that is loaded. */
export function initialize(data?: { port: MessagePort }): void {
  loaded = data?.port
}

export async function resolve(specifier: string, context: ResolveContext, next: NextResolve): Promise<Resolved> {
  const resolved = await resolveAnyhow(specifier, context, next)
  if (context.parentURL !== undefined && isAuthors(resolved.url) && isAuthors(context.parentURL))
    loaded?.postMessage({
      file: fileURLToPath(resolved.url),
      by: fileURLToPath(context.parentURL),
    } satisfies ImportedFile)
  return { ...resolved, url: bundledDoor(resolved.url) ?? inGeneration(resolved.url, context.parentURL) }
}

/** A reloaded kit's own modules are loaded again with it: its generation goes on to what it imports, but not to packages. */
function inGeneration(url: string, parentURL: string | undefined): string {
  const generation = parentURL?.startsWith('file:') ? new URL(parentURL).searchParams.get(generationParam) : null
  if (!generation || !url.startsWith('file:') || url.includes('/node_modules/') || isOwn(url)) return url
  const marked = new URL(url)
  marked.searchParams.set(generationParam, generation)
  return marked.href
}

/** `dist/`, where this file is one folder below, bundled or not. */
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

async function resolveAnyhow(specifier: string, context: ResolveContext, next: NextResolve): Promise<Resolved> {
  try {
    return await next(specifier, context)
  } catch (error) {
    const url = sourceBehind(specifier, context.parentURL)
    if (url) return next(url, context)
    if (ownPackages.test(specifier)) {
      return next(specifier, { ...context, parentURL: import.meta.url }).catch(() => {
        throw error
      })
    }
    throw error
  }
}

/** The TypeScript file behind an import that names what it would be compiled to, or names no extension. */
function sourceBehind(specifier: string, parentURL: string | undefined): string | undefined {
  if (!/^(\.{1,2}\/|file:|\/)/.test(specifier) || (parentURL === undefined && !specifier.startsWith('file:')))
    return undefined
  const url = new URL(specifier, parentURL)
  const extension = extname(url.pathname)
  const stem = extension in wantedAgain ? url.href.slice(0, url.href.length - extension.length) : url.href
  const endings = wantedAgain[extension] ?? wantedAgain[''] ?? []
  return endings.map((ending) => stem + ending).find((candidate) => existsSync(fileURLToPath(candidate)))
}

export async function load(url: string, context: object, next: NextLoad): Promise<Loaded> {
  if (isAuthors(url)) loaded?.postMessage(fileURLToPath(url))
  const loader = url.startsWith('file:') ? loaders[extname(new URL(url).pathname)] : undefined
  if (!loader) return next(url, context)
  const file = fileURLToPath(url)
  const source = await readFile(file, 'utf8')
  try {
    const { code } = await esbuild().transform(source, {
      loader,
      format: 'esm',
      target: 'node20',
      sourcefile: file,
      sourcemap: 'inline',
      sourcesContent: false,
    })
    return { format: 'module', source: code, shortCircuit: true }
  } catch (error) {
    throw new SyntaxError(compileMessage(error))
  }
}

interface CompileError {
  errors?: { text: string; location: { file: string; line: number; column: number; lineText: string } | null }[]
}

function compileMessage(error: unknown): string {
  const first = (error as CompileError).errors?.[0]
  if (!first?.location) return messageOf(error)
  const { file, line, column, lineText } = first.location
  return `line ${line}, column ${column + 1} of ${file}: ${first.text} in \`${lineText.trim()}\``
}
