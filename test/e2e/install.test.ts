import { cpSync, mkdirSync, readdirSync, readFileSync, statSync, symlinkSync, writeFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { newFolder, run } from '../support/cli.js'
import { typeIssues } from '../support/types.js'

/** Jexo as npm installs it, without any of the optional packages; with zod. */
const project = newFolder()
const modules = join(project, 'node_modules')
const copy = newFolder()
const root = resolve(import.meta.dirname, '../..')
const env = Object.fromEntries(
  Object.entries(process.env).filter(([name]) => name !== 'NODE_OPTIONS' && name !== 'NODE_PATH'),
) as Record<string, string>
const jexo = (...args: string[]) =>
  run(process.execPath, [join(modules, 'jexo/bin/jexo.mjs'), ...args], { cwd: project, env })

const kit = `
import { defineKit, tool } from 'jexo'
import { z } from 'zod'
enum Unit { Kilogram = 'kg' }
const weighHive = tool('weigh_hive', {
  about: 'Latest reading of the scale under one hive.',
  input: z.object({ hive: z.string() }),
  effect: 'read',
  run: ({ hive }): string => \`\${hive}: 41.2 \${Unit.Kilogram}\`,
})
export default defineKit({ name: 'hives', version: '1.0.0', parts: [weighHive] })
`

beforeAll(async () => {
  mkdirSync(modules, { recursive: true })
  const npm = process.platform === 'win32' ? 'npm.cmd' : 'npm'
  // Copied, since npm reads all packages that are installed in a folder before it packs it.
  const { files } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')) as { files: string[] }
  for (const name of ['package.json', ...files])
    cpSync(join(root, name), join(copy, name), {
      recursive: true,
      filter: (path) => !path.endsWith('node_modules'),
    })
  const packed = await run(npm, ['pack', '--silent', '--ignore-scripts', '--pack-destination', project], {
    cwd: copy,
    env,
  })
  await run('tar', ['-xzf', join(project, packed.stdout.trim().split('\n').at(-1) ?? ''), '-C', modules], {
    cwd: project,
    env,
  })
  cpSync(join(modules, 'package'), join(modules, 'jexo'), { recursive: true })
  cpSync(join(root, 'node_modules/@standard-schema'), join(modules, '@standard-schema'), { recursive: true })
  symlinkSync(join(root, 'node_modules/zod'), join(modules, 'zod'))
  writeFileSync(join(project, 'hives.kit.ts'), kit)
  writeFileSync(join(project, 'colony.ts'), 'export const weigh = (hive: string): number => hive.length\n')
  writeFileSync(join(project, 'package.json'), '{ "name": "hives", "type": "module" }')
})

function bytesIn(folder: string): number {
  return readdirSync(folder, { withFileTypes: true }).reduce((sum, entry) => {
    const path = join(folder, entry.name)
    return sum + (entry.isDirectory() ? bytesIn(path) : statSync(path).size)
  }, 0)
}

test('an installation is at most 12 MB', () => {
  expect(bytesIn(join(modules, 'jexo'))).toBeLessThan(12_000_000)
})

test('a kit in TypeScript runs without any optional package, and its tokens are counted', async () => {
  expect(await jexo('call', 'hives.kit.ts', 'weigh_hive', 'hive=ML-04')).toMatchObject({
    code: 0,
    stdout: 'ML-04: 41.2 kg\n',
  })
  expect((await jexo('show', 'hives.kit.ts')).stdout).toMatch(/1 tool +about \d+ tokens/)
})

test.each([
  ['wrapping functions', ['wrap', 'colony.ts'], 'typescript@6'],
  ['packing', ['pack', 'hives.kit.ts'], 'esbuild'],
  ['a database', ['wrap', 'postgres://127.0.0.1:9/ledger', '--kind', 'sql'], 'pg'],
  ['a feed', ['wrap', 'mqtt://127.0.0.1:9'], 'mqtt'],
  ['an OPC UA server', ['wrap', 'opc.tcp://127.0.0.1:9'], 'node-opcua@2.182'],
  ['another source', ['add', 'hives.kit.ts', '--to', 'hives.kit.ts'], 'typescript@6'],
  ['the demo', ['demo', '--tour'], 'typescript@6 libsql mqtt aedes graphql @hono/node-server'],
])('%s names the package that it needs', async (_name, args, packages) => {
  const { code, stderr } = await jexo(...args)
  expect(code).toBe(2)
  expect(stderr).toContain(`run: npm install ${packages}`)
})

test('the types of all entry points are complete without other packages', async () => {
  const doors = [
    '',
    '/access',
    '/redis',
    '/layers',
    '/link',
    '/node',
    '/module',
    '/openapi',
    '/graphql',
    '/sql',
    '/folder',
    '/feed',
  ]
  const more = [
    '/testing',
    '/vet',
    '/replay',
    '/rehearse',
    '/pack',
    '/host',
    '/host/frame',
    '/view',
    '/fetch',
    '/curl',
  ]
  const lines = [...doors, ...more].map((door, at) => `export * as door${at} from 'jexo${door}'`)
  const file = join(project, 'doors.ts')
  writeFileSync(file, lines.join('\n'))
  const own = (path: string) => path.startsWith(project)
  const options = {
    strict: true,
    module: 'nodenext',
    target: 'es2023',
    lib: ['es2023', 'dom'],
    types: ['node'],
    typeRoots: [join(root, 'node_modules/@types')],
  }
  expect(typeIssues([file], options, own)).toStrictEqual([])
  writeFileSync(file, `export { Hive } from 'jexo'\nexport const weight: string = 5`)
  expect(typeIssues([file], options, own)).toHaveLength(2)
})
