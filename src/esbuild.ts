import type * as Esbuild from 'esbuild'
import { requiredPackage } from './optional-packages.js'

let loaded: typeof Esbuild | undefined

/** The bundler, which packing needs. Throws a `JexoError` if it is not installed. */
export function esbuild(purpose = 'packing a kit'): typeof Esbuild {
  loaded ??= requiredPackage<typeof Esbuild>('esbuild', purpose)
  return loaded
}
