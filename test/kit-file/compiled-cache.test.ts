import { chmodSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { compileTypeScript } from '../../src/kit-file/compile-typescript.js'
import { compiledEntry } from '../../src/kit-file/compiled-cache.js'
import { hooksFor } from '../../src/kit-file/module-hooks.js'
import { emptyCache } from '../support/cache-folder.js'
import { bin, run, written } from '../support/cli.js'

const cache = emptyCache()
const folder = () => join(cache(), 'jexo', 'typescript')

/** Hooks of a process, with the files that their compiler compiled. */
function hooks() {
  const compiled: string[] = []
  const { load } = hooksFor(
    () => {},
    (source, file) => {
      compiled.push(file)
      return compileTypeScript(source, file)
    },
  )
  const next = () => ({ format: 'other' })
  return { compiled, load: (path: string) => load(String(pathToFileURL(path)), {}, next) }
}

test('a TypeScript file is compiled once for each state, and for each path', () => {
  const one = written('scale.ts', 'export const kg: number = 41')
  const first = hooks()
  expect(first.load(one)).toStrictEqual({ format: 'module', source: 'export const kg = 41', shortCircuit: true })
  expect(first.load(one).source).toBe('export const kg = 41')
  expect(first.compiled).toStrictEqual([one])
  const next = hooks()
  expect(next.load(one).source).toBe('export const kg = 41')
  expect(next.compiled).toStrictEqual([])
  writeFileSync(one, 'export const kg: number = 42')
  expect(next.load(one).source).toBe('export const kg = 42')
  const other = written('scale.ts', 'export const kg: number = 42')
  next.load(other)
  expect(next.compiled).toStrictEqual([one, other])
  expect(hooks().load(one.replace('.ts', '.mjs'))).toStrictEqual({ format: 'other' })
})

test('code that does not compile is not kept', () => {
  const broken = written('scale.ts', 'export const kg: = 41')
  expect(() => hooks().load(broken)).toThrow(/line 1/)
  expect(() => hooks().load(broken)).toThrow(/line 1/)
  expect(() => readdirSync(folder())).toThrow(/ENOENT/)
})

test('a folder that others can write to is neither read nor written', () => {
  const file = '/hives/scale.ts'
  compiledEntry('export const kg: number = 41', file).write('export const kg = 41')
  expect(compiledEntry('export const kg: number = 41', file).read()).toBe('export const kg = 41')
  chmodSync(folder(), 0o777)
  expect(compiledEntry('export const kg: number = 41', file).read()).toBeUndefined()
  compiledEntry('export const kg: number = 42', file).write('export const kg = 42')
  expect(readdirSync(folder())).toHaveLength(1)
})

test('a second start of a kit takes its code from the cache', async () => {
  const kit = written(
    'scale.kit.ts',
    `import { defineKit, tool } from 'jexo'
     const weigh = tool('weigh_hive', { about: 'Weighs.', effect: 'read', run: (): string => '41 kg' })
     export default defineKit({ name: 'scale', version: '1.0.0', parts: [weigh] })`,
  )
  const call = async () => (await run(process.execPath, [bin, 'call', kit, 'weigh_hive'])).stdout
  expect(await call()).toBe('41 kg\n')
  const [name = ''] = readdirSync(folder())
  const kept = join(folder(), name)
  writeFileSync(kept, readFileSync(kept, 'utf8').replace('41 kg', '42 kg'))
  expect(await call()).toBe('42 kg\n')
  rmSync(kept)
  expect(await call()).toBe('41 kg\n')
})
