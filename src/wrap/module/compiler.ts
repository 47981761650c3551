import { packageMissing, requiredPackage } from '../../optional-packages.js'
import type { Compiler } from './docs.js'

/**
 * The TypeScript compiler. Throws a `JexoError` if it is not installed.
 *
 * Loaded by `require`, since an import would first scan nine megabytes for exported names.
 */
export function loadCompiler(purpose = 'reading the types of functions'): Compiler {
  const compiler = requiredPackage<Compiler>('typescript', purpose)
  // From version 7 on it is a different program.
  if (typeof compiler.createProgram !== 'function') throw packageMissing(['typescript'], purpose)
  return compiler
}
