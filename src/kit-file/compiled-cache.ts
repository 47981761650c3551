import { readFileSync } from 'node:fs'
import { cacheFolder, cacheKey, readOwnCached, writeCached } from '../files/user-cache.js'
import { hasPackage } from '../optional-packages.js'
import { ownModules } from '../own-files.js'
import { version } from '../version.js'
import { needsFullCompiler } from './full-syntax.js'

/** Several projects with many modules each. */
const mostCompiled = 2000

/** The JavaScript of one TypeScript file in the user's cache, so that it is compiled only after a change. */
export interface CompiledEntry {
  /** Undefined if the file has not been compiled in this state. */
  read(): string | undefined
  write(code: string): void
}

/** The code depends on the source, on its path, which errors and source maps name, and on the compiler. */
export function compiledEntry(source: string, file: string): CompiledEntry {
  const folder = cacheFolder('typescript')
  const compiler = needsFullCompiler(source) && hasPackage('esbuild') ? 'esbuild' : ''
  const name = `${cacheKey(version, ...compilerCode(), compiler, file, source)}.js`
  return {
    read: () => readOwnCached(folder, name)?.toString(),
    write: (code) => writeCached(folder, name, code, mostCompiled),
  }
}

let ownCode: string[] | undefined
const compilerCode = (): string[] =>
  (ownCode ??= ownModules('kit-file/compile-typescript').map((path) => readFileSync(path, 'utf8')))
