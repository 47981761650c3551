import { readdirSync, readFileSync } from 'node:fs'
import { builtinModules } from 'node:module'
import { dirname, join, relative, resolve } from 'node:path'
import { version } from '../src/version.js'

const root = resolve(import.meta.dirname, '..')
const source = join(root, 'src')

/** Every folder of `src/` from the lowest: a file imports from its own folder and the folders before it. */
const order = [
  'version.ts',
  'errors.ts',
  'own-files.ts',
  'optional-packages.ts',
  'esbuild.ts',
  'files',
  'escape',
  'yaml',
  'protocol',
  'kit',
  'view/wire',
  'view/page',
  'view/frame',
  'view/build',
  'store',
  'tasks',
  'telemetry',
  'engine',
  'access',
  'layers',
  'link',
  'transport',
  'ssh',
  'context-cost',
  'host-config',
  'packed-file',
  'models',
  'wrap/source',
  'kit-file',
  'wrap/naming',
  'wrap/schema',
  'wrap/search',
  'wrap/catalogue',
  'wrap/kit-writer',
  'wrap/http-api',
  'wrap/module',
  'wrap/openapi',
  'wrap/curl',
  'wrap/graphql',
  'wrap/sql',
  'wrap/folder',
  'wrap/feed',
  'wrap/server',
  'wrap/command',
  'wrap/process',
  'wrap/detect',
  'wrap/preview',
  'target',
  'answers',
  'attach',
  'tape',
  'playback',
  'score',
  'relay',
  'serve',
  'talk',
  'replay',
  'vet',
  'rehearse',
  'host',
  'pack',
  'ship',
  'new',
  'demo',
  'testing',
  'loupe',
  'cli/terminal',
  'cli/text',
  'cli/options',
  'cli/verbs',
  'cli/main.ts',
]
const withoutNode =
  /^(protocol|escape|kit|engine|link|transport\/http|view\/(wire|page|frame(?!\/serve-proxy)))\/|^(errors|version|index|fetch|link|view|view-react|host-frame)\.ts$/
const portableTransport =
  /^transport\/(byte-gatherer|intake|line-splitter|memory|connect|http-responses|http-exchange|event-reading|http-wire|fetch-handler)\.ts$/

const files = readdirSync(source, { recursive: true, withFileTypes: true })
  .filter((entry) => entry.isFile() && /\.tsx?$/.test(entry.name))
  .map((entry) => relative(source, join(entry.parentPath, entry.name)))

interface Import {
  path: string
  /** Removed by the compiler. */
  isType: boolean
}

const importsOf = (file: string): Import[] =>
  [
    ...readFileSync(join(source, file), 'utf8').matchAll(
      /^(?:import|export) (type )?([^'"]*?)from '([^']+)'|import\('([^']+)'\)|^import '([^']+)'/gm,
    ),
  ].map(([, isType, names = '', ...paths]) => ({
    path: paths.find((path) => path !== undefined) ?? '',
    isType: isType !== undefined || /^\{(\s*type [^,}]+,?)+\s*\}\s*$/.test(names),
  }))

const targetsOf = (file: string, isTaken = (_one: Import) => true) =>
  importsOf(file)
    .filter((one) => one.path.startsWith('.') && isTaken(one))
    .map(({ path }) => relative(source, resolve(join(source, dirname(file)), path)).replace(/\.js$/, '.ts'))

/** The folder in the order; an entry point, such as `node.ts`, stands above all but `loupe` and `cli`. */
const placeOf = (file: string) =>
  order.find((name) => file === name || file.startsWith(`${name}/`)) ?? (file.includes('/') ? undefined : 'doors')
const rankOf = (file: string) => {
  const place = placeOf(file)
  return place === 'doors' ? order.indexOf('loupe') - 0.5 : order.indexOf(place ?? '')
}

/** A chain of files that import each other in a cycle, or undefined. */
function circleIn(edges: ReadonlyMap<string, readonly string[]>): readonly string[] | undefined {
  const done = new Set<string>()
  const visit = (file: string, path: readonly string[]): readonly string[] | undefined => {
    if (path.includes(file)) return [...path.slice(path.indexOf(file)), file]
    if (done.has(file)) return undefined
    for (const target of edges.get(file) ?? []) {
      const found = visit(target, [...path, file])
      if (found) return found
    }
    done.add(file)
    return undefined
  }
  for (const file of edges.keys()) {
    const found = visit(file, [])
    if (found) return found
  }
  return undefined
}

describe('the source', () => {
  test('has every file in a folder of the order, and every name in the order is a folder', () => {
    expect(files.length).toBeGreaterThan(50)
    expect(files.filter((file) => placeOf(file) === undefined)).toStrictEqual([])
    expect(
      order.filter((name) => !files.some((file) => file === name || file.startsWith(`${name}/`))),
    ).toStrictEqual([])
  })

  test('imports only from lower folders, types included', () => {
    const upwards = files.flatMap((file) =>
      targetsOf(file)
        .filter((target) => rankOf(target) > rankOf(file))
        .map((target) => `${file} → ${target}`),
    )
    expect(upwards).toStrictEqual([])
  })

  test('has no import cycle between files, except for types', () => {
    const isRun = ({ isType }: Import) => !isType
    expect(circleIn(new Map(files.map((file) => [file, targetsOf(file, isRun)])))).toBeUndefined()
    expect(
      circleIn(
        new Map([
          ['a.ts', ['b.ts']],
          ['b.ts', ['c.ts']],
          ['c.ts', ['b.ts']],
        ]),
      ),
    ).toStrictEqual(['b.ts', 'c.ts', 'b.ts'])
  })

  test('uses no Node module in code that runs in a browser', () => {
    const found = files
      .filter((file) => withoutNode.test(file) || portableTransport.test(file))
      .flatMap((file) =>
        importsOf(file)
          .map(({ path }) => path)
          .filter((path) => path.startsWith('node:') || builtinModules.includes(path))
          .map((path) => `${file} → ${path}`),
      )
    expect(found).toStrictEqual([])
  })

  test('has the version of its package', () => {
    expect(JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')).version).toBe(version)
  })
})

test('an installation is two packages without installation scripts, and optional packages load on demand', () => {
  const { dependencies, peerDependencies, peerDependenciesMeta } = JSON.parse(
    readFileSync(join(root, 'package.json'), 'utf8'),
  )
  expect(Object.keys(dependencies)).toStrictEqual(['@standard-schema/spec'])
  expect(Object.keys(peerDependenciesMeta)).toStrictEqual(Object.keys(peerDependencies))
  const { packages } = JSON.parse(readFileSync(join(root, 'package-lock.json'), 'utf8')) as {
    packages: Record<string, { hasInstallScript?: boolean; dev?: boolean; devOptional?: boolean }>
  }
  const scripted = Object.entries(packages).filter(
    ([, { hasInstallScript, dev, devOptional }]) => hasInstallScript && !dev && !devOptional,
  )
  expect(scripted.map(([name]) => name)).toStrictEqual([])
  const optional = new Set(Object.keys(peerDependencies))
  const eager = files.flatMap((file) => {
    const code = readFileSync(join(source, file), 'utf8').replace(/^import type .*$/gm, '')
    const named = [...code.matchAll(/^(?:import|export)[^;'"]*? from '([^'.][^']*)'/gm)].map(
      ([, name = '']) => name,
    )
    return named.filter((name) => optional.has(name)).map((name) => `${file}: ${name}`)
  })
  // The entry point for pages with React, and the text of a new project's files.
  expect(eager).toStrictEqual(['new/project-files.ts: zod', 'view/page/use-view.ts: react'])
})
