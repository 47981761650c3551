import { existsSync } from 'node:fs'
import { createRequire } from 'node:module'
import type * as Esbuild from 'esbuild'
import { compiledFile } from './own-files.js'

let loaded: typeof Esbuild | undefined

/**
 * The compiler of TypeScript and bundler of kits. Its JavaScript part travels in this package and its programs are optional packages of one system
 * each, since the package that names both has an installation script, of which package managers warn.
 */
export function esbuild(): typeof Esbuild {
  const copy = compiledFile('esbuild/lib/main.js')
  loaded ??= createRequire(import.meta.url)(existsSync(copy) ? copy : 'esbuild') as typeof Esbuild
  return loaded
}
