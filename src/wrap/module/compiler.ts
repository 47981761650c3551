import { packageMissing, requiredPackage } from '../../optional-packages.js'
import type { Compiler } from './docs.js'

/**
 * The TypeScript compiler. Throws a `JexoError` if it is not installed.
 *
 * By require: an import would first look through nine megabytes for the names that it exports.
 */
export function loadCompiler(purpose = 'reading the types of functions'): Compiler {
  const compiler = requiredPackage<Compiler>('typescript', purpose)
  // From version 7 on it is a program of another kind.
  if (typeof compiler.createProgram !== 'function') throw packageMissing(['typescript'], purpose)
  return compiler
}
