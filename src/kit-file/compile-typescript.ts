import { transform } from 'sucrase'
import { messageOf } from '../errors.js'
import { esbuild } from '../esbuild.js'
import { hasPackage } from '../optional-packages.js'
import { needsFullCompiler } from './full-syntax.js'

/**
 * Compiles a TypeScript file to JavaScript line by line, so that stack traces name the lines of the source. Sucrase
 * removes types; esbuild, if installed, compiles files that need more. Throws a `SyntaxError` that names the position.
 */
export function compileTypeScript(source: string, file: string): string {
  const hasFullCompiler = hasPackage('esbuild')
  if (hasFullCompiler && needsFullCompiler(source)) return fullyCompiled(source, file)
  try {
    const isJsx = /\.[cm]?tsx$/.test(file)
    return transform(source, {
      transforms: isJsx ? ['typescript', 'jsx'] : ['typescript'],
      disableESTransforms: true,
      production: true,
      filePath: file,
    }).code
  } catch (error) {
    if (hasFullCompiler) return fullyCompiled(source, file)
    throw new SyntaxError(sentenceOf(error, source, file))
  }
}

function fullyCompiled(source: string, file: string): string {
  try {
    const { code } = esbuild('compiling this TypeScript').transformSync(source, {
      loader: /\.[cm]?tsx$/.test(file) ? 'tsx' : 'ts',
      format: 'esm',
      target: 'node20',
      sourcefile: file,
      sourcemap: 'inline',
      sourcesContent: false,
    })
    return code
  } catch (error) {
    throw new SyntaxError(esbuildSentence(error))
  }
}

interface EsbuildError {
  errors?: { text: string; location: { file: string; line: number; column: number; lineText: string } | null }[]
}

function esbuildSentence(error: unknown): string {
  const first = (error as EsbuildError).errors?.[0]
  if (!first?.location) return messageOf(error)
  const { file, line, column, lineText } = first.location
  return `line ${line}, column ${column + 1} of ${file}: ${first.text} in \`${lineText.trim()}\``
}

/** Sucrase puts the position at the end of its message, and into a property. */
function sentenceOf(error: unknown, source: string, file: string): string {
  const { loc } = error as { loc?: { line: number; column: number } }
  const problem = messageOf(error)
    .replace(/^Error transforming [^:]*: /, '')
    .replace(/ \(\d+:\d+\)$/, '')
  if (loc === undefined) return `${file}: ${problem}`
  const text = source.split('\n')[loc.line - 1] ?? ''
  return `line ${loc.line}, column ${loc.column} of ${file}: ${problem} in \`${text.trim()}\``
}
