import { existsSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { build } from 'esbuild'
import { connect } from 'jexo/node'
import { bin, jexo, newFolder, Running, root, run } from '../support/cli.js'
import { freePort } from '../support/databases.js'

const { platform, arch } = process
const fixtures = join(root, 'test/support/runtimes')
const kit = join(fixtures, 'kit.mjs')

/** The path of a runtime's program, by the name that its package uses for this system. */
function program(path: string): string {
  const found = join(root, 'test/runtimes/node_modules', path)
  if (!existsSync(found)) throw new Error(`${found} is missing; npm test installs it`)
  return found
}
const node = (line: number) => program(`node-${line}-${platform}-${arch}/bin/node`)
const bun = () => [program(`@oven/bun-${platform}-${arch === 'arm64' ? 'aarch64' : arch}/bin/bun`)]
const deno = () => [
  program(`@deno/${platform}-${arch}${platform === 'linux' ? '-glibc' : ''}/deno`),
  'run',
  '--allow-all',
]
const workerd = () => program(`@cloudflare/workerd-${platform}-${arch === 'x64' ? '64' : arch}/bin/workerd`)
const weights = ['total_weight', 'one=1', 'other=41', '--json']

afterAll(() => Running.endAll())

let packed = ''
beforeAll(async () => {
  const out = newFolder()
  expect((await jexo('pack', kit, '--out', out)).code).toBe(0)
  packed = join(out, 'kit.mjs')
})

test.each([20, 22, 24])('Node %i runs the commands, and a packed file', async (line) => {
  for (const target of [kit, packed]) {
    const { code, stdout } = await run(node(line), [bin, 'call', target, ...weights])
    expect([code, JSON.parse(stdout)]).toStrictEqual([0, { kg: 42 }])
  }
})

test.each([
  ['Bun', bun],
  ['Deno', deno],
])('%s runs kits, web handlers and links, and prints nothing between messages', async (_name, runtime) => {
  const [command = '', ...words] = runtime()
  const web = await run(command, [...words, join(fixtures, 'web.mjs')])
  expect(web).toMatchObject({ code: 0 })
  expect(JSON.parse(web.stdout)).toStrictEqual([
    { kg: 42, isError: true, revision: '2025-11-25' },
    { kg: 42, isError: true, revision: '2025-11-25' },
  ])
  const strays: string[] = []
  const said: string[] = []
  const link = await connect(
    { command, args: [...words, join(fixtures, 'stdio.mjs')] },
    { onStray: (line) => strays.push(line), onStderr: (line) => said.push(line) },
  )
  expect((await link.call('print_much')).content).toMatchObject([{ text: 'printed' }])
  await link.close()
  expect(strays).toStrictEqual([])
  expect(said.join('\n')).toMatch(/console\.log in tool `print_much`[\s\S]*a log[\s\S]*a row[\s\S]*an info/)
})

test('workerd loads a handler, and serves it', async () => {
  const folder = newFolder()
  await build({
    entryPoints: [join(fixtures, 'worker.mjs')],
    bundle: true,
    format: 'esm',
    outfile: join(folder, 'worker.mjs'),
    logLevel: 'silent',
  })
  const port = await freePort()
  writeFileSync(
    join(folder, 'worker.capnp'),
    `using Workerd = import "/workerd/workerd.capnp";
     const config :Workerd.Config = (
       services = [(name = "main", worker = (modules = [(name = "worker", esModule = embed "worker.mjs")], compatibilityDate = "2026-01-01"))],
       sockets = [(name = "http", address = "127.0.0.1:${port}", http = (), service = "main")],
     );`,
  )
  const server = new Running(['serve', '--verbose', join(folder, 'worker.capnp')], {}, workerd())
  const url = `http://127.0.0.1:${port}`
  while (!(await fetch(`${url}/health/live`).catch(() => undefined))?.ok) {
    if (server.child.exitCode !== null) throw new Error(server.said)
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
  const link = await connect(`${url}/mcp`)
  const progress: number[] = []
  const result = await link.call(
    'total_weight',
    { one: 1, other: 41 },
    { onProgress: (step) => progress.push(step.progress) },
  )
  expect([result.structuredContent, progress]).toStrictEqual([{ kg: 42 }, [1]])
  await link.close()
  const gated = await fetch(`${url}/gated`, { method: 'POST' })
  expect([gated.status, gated.headers.get('www-authenticate')]).toStrictEqual([
    401,
    `Bearer resource_metadata="${url}/.well-known/oauth-protected-resource/gated"`,
  ])
  await server.end('SIGTERM')
})
