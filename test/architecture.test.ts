import { readdirSync, readFileSync } from 'node:fs'
import { builtinModules } from 'node:module'
import { dirname, join, relative, resolve } from 'node:path'
import { version } from '../src/version.js'

const root = resolve(import.meta.dirname, '..')
const source = join(root, 'src')

/** Layers from the lowest: a file may import its own layer and those below. */
const layers = [
  ['protocol', 'escape', 'yaml', 'errors.ts', 'version.ts'],
  ['kit'],
  ['engine', 'link'],
  ['transport'],
  ['wrap'],
  [
    'serve',
    'target',
    'vet',
    'attach',
    'pack',
    'demo',
    'talk',
    'tape',
    'score',
    'relay',
    'replay',
    'rehearse',
    'ship',
    'new',
    'testing',
    'testing.ts',
    'vet.ts',
    'replay.ts',
    'rehearse.ts',
    'pack.ts',
    'host',
    'host.ts',
    'index.ts',
    'fetch.ts',
    'link.ts',
    'node.ts',
    'guard.ts',
    'module.ts',
    'openapi.ts',
    'curl.ts',
    'graphql.ts',
    'sql.ts',
    'folder.ts',
    'feed.ts',
  ],
  ['loupe'],
  ['cli'],
]
const withoutNode = /^(protocol|escape|kit|engine|link|transport\/http)\/|^(errors|version|index|fetch|link)\.ts$/
const portableTransport =
  /^transport\/(byte-gatherer|intake|line-splitter|memory|dial|http-answers|http-wire|fetch-handler)\.ts$/

const files = readdirSync(source, { recursive: true, withFileTypes: true })
  .filter((entry) => entry.isFile() && /\.tsx?$/.test(entry.name))
  .map((entry) => relative(source, join(entry.parentPath, entry.name)))

const importsOf = (file: string) =>
  [
    ...readFileSync(join(source, file), 'utf8').matchAll(
      /(?:^|\n)(?:import|export)[^'"]*?from '([^']+)'|import\('([^']+)'\)|(?:^|\n)import '([^']+)'/g,
    ),
  ].map((found) => found[1] ?? found[2] ?? found[3] ?? '')

const layerOf = (file: string) => layers.findIndex((names) => names.includes(file.split('/')[0] ?? ''))

describe('the source', () => {
  test('has every file in a layer', () => {
    expect(files.length).toBeGreaterThan(50)
    expect(files.filter((file) => layerOf(file) < 0)).toEqual([])
  })

  test('imports downwards only', () => {
    const upwards = files.flatMap((file) =>
      importsOf(file)
        .filter((path) => path.startsWith('.'))
        .map((path) => relative(source, resolve(join(source, dirname(file)), path)).replace(/\.js$/, '.ts'))
        .filter((target) => layerOf(target) > layerOf(file))
        .map((target) => `${file} → ${target}`),
    )
    expect(upwards).toEqual([])
  })

  test('has no Node module in what runs in a browser', () => {
    const found = files
      .filter((file) => withoutNode.test(file) || portableTransport.test(file))
      .flatMap((file) =>
        importsOf(file)
          .filter((path) => path.startsWith('node:') || builtinModules.includes(path))
          .map((path) => `${file} → ${path}`),
      )
    expect(found).toEqual([])
  })

  test('knows the version of its package', () => {
    expect(JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')).version).toBe(version)
  })
})
