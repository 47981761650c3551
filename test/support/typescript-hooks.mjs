/** Module hooks of the tests: tests and sources are TypeScript, resolved as in `jest.config.mjs`. */
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync } from 'node:fs'
import { readFile, rename, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import { transform } from '@swc/core'

let mapped = []
let cache = ''
let tests = ''

/**
 * `names` maps patterns of module names to file names, as `moduleNameMapper` of Jest does; `folder` holds compiled
 * files. Modules below the URL `fresh` are loaded once for each query of the test file that imports them.
 */
export function initialize({ names, folder, fresh = '' }) {
  mkdirSync(folder, { recursive: true })
  cache = folder
  tests = fresh
  mapped = names.map(([pattern, path]) => [new RegExp(pattern), path])
}

/** `@jest/globals` works only in the modules that Jest loads itself. */
const jestGlobals = 'data:text/javascript,export const jest = globalThis.jestOfTests'

export async function resolve(name, context, next) {
  if (name === '@jest/globals') return { url: jestGlobals, format: 'module', shortCircuit: true }
  for (const [pattern, path] of mapped) {
    if (pattern.test(name)) return found(name.replace(pattern, path))
  }
  const { parentURL = '' } = context
  const isOfTests = Boolean(tests) && parentURL.startsWith(tests)
  if (/^\.{1,2}\/.*\.js$/.test(name) && parentURL) {
    const base = fileURLToPath(new URL(name, parentURL)).slice(0, -'.js'.length)
    for (const path of [`${base}.ts`, `${base}.tsx`])
      if (existsSync(path)) return found(path, isOfTests ? new URL(parentURL).search : '')
  }
  return next(name, context)
}

export async function load(url, context, next) {
  const path = url.split('?', 1)[0]
  if (!/\.tsx?$/.test(path)) return next(url, context)
  return { format: 'module', source: await compile(fileURLToPath(path), cache), shortCircuit: true }
}

/** JavaScript with an inline source map. Processes share the folder of what the first of them compiles. */
export async function compile(filename, folder) {
  const text = await readFile(filename, 'utf8')
  const key = createHash('sha256').update(filename).update('\0').update(text).digest('hex')
  const cached = join(folder, key)
  const known = await readFile(cached, 'utf8').catch(() => undefined)
  if (known !== undefined) return known
  const { code } = await transform(text, {
    filename,
    swcrc: false,
    sourceMaps: 'inline',
    jsc: { parser: { syntax: 'typescript', tsx: true }, target: 'es2022' },
    module: { type: 'es6' },
  })
  const written = `${cached}.${process.pid}`
  await writeFile(written, code)
  await rename(written, cached)
  return code
}

/** The query marks the test file for which a module below the tests is loaded. */
function found(path, query = '') {
  const { href } = pathToFileURL(path)
  return { url: href.startsWith(tests) ? href + query : href, format: 'module', shortCircuit: true }
}
