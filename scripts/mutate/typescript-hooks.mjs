/** Module hooks of `npm run mutate`: tests and sources are TypeScript, resolved as in `jest.config.mjs`. */
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync } from 'node:fs'
import { readFile, rename, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import { transform } from '@swc/core'

let mapped = []
let cache = ''

/** `names` maps patterns of module names to file names, as `moduleNameMapper` of Jest does; `folder` holds compiled files. */
export function initialize({ names, folder }) {
  mkdirSync(folder, { recursive: true })
  cache = folder
  mapped = names.map(([pattern, path]) => [new RegExp(pattern), path])
}

/** `@jest/globals` works only in Jest. */
const jestGlobals = 'data:text/javascript,export const jest = globalThis.jestOfTests'

export function resolve(name, context, next) {
  if (name === '@jest/globals') return { url: jestGlobals, format: 'module', shortCircuit: true }
  for (const [pattern, path] of mapped) {
    if (pattern.test(name)) return found(name.replace(pattern, path))
  }
  if (/^\.{1,2}\/.*\.js$/.test(name) && context.parentURL) {
    const base = fileURLToPath(new URL(name, context.parentURL)).slice(0, -'.js'.length)
    for (const path of [`${base}.ts`, `${base}.tsx`]) if (existsSync(path)) return found(path)
  }
  return next(name, context)
}

export async function load(url, context, next) {
  if (!/\.tsx?$/.test(url)) return next(url, context)
  return { format: 'module', source: await compiled(fileURLToPath(url)), shortCircuit: true }
}

/** Files do not change during a run, so processes share what the first of them compiles. */
async function compiled(filename) {
  const cached = join(cache, createHash('sha256').update(filename).digest('hex'))
  const known = await readFile(cached, 'utf8').catch(() => undefined)
  if (known !== undefined) return known
  const { code } = await transform(await readFile(filename, 'utf8'), {
    filename,
    swcrc: false,
    sourceMaps: false,
    jsc: { parser: { syntax: 'typescript', tsx: true }, target: 'es2022' },
    module: { type: 'es6' },
  })
  const written = `${cached}.${process.pid}`
  await writeFile(written, code)
  await rename(written, cached)
  return code
}

function found(path) {
  return { url: pathToFileURL(path).href, format: 'module', shortCircuit: true }
}
