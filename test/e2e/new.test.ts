import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { jexo, newFolder, run, written } from '../support/cli.js'

test('new writes a small project whose own ci passes: types, tests, cases, packing', async () => {
  const folder = join(newFolder(), 'my Hives')
  const made = await jexo('new', folder)
  expect(made).toMatchObject({ code: 0, stderr: expect.stringContaining('npm test') })
  const files = made.stdout.trim().split('\n')
  expect(files.length).toBeLessThan(12)
  for (const file of files) expect(existsSync(file)).toBe(true)
  const env = Object.fromEntries(Object.entries(process.env).filter(([name]) => name !== 'NODE_OPTIONS')) as Record<
    string,
    string
  >
  const ci = await run(join(folder, 'ci.sh'), [], { cwd: folder, env })
  expect(ci).toMatchObject({
    code: 0,
    stdout: expect.stringMatching(/pass 2[\s\S]*✓ cases.days_between\.case\.yaml[\s\S]*packed\/my-hives\.mjs/),
  })
  expect(JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8')).name).toBe('my-hives')
  const again = await jexo('new', folder)
  expect(again).toMatchObject({ code: 2, stderr: expect.stringContaining('the folder is not empty') })
  expect(await jexo('new', written('file', ''))).toMatchObject({ code: 2 })
})

test('new installs Jexo from the given source, and names the package that npm could not install', async () => {
  const parent = newFolder()
  const tarball = written('jexo-9.9.9.tgz', '')
  const made = (name: string) => JSON.parse(readFileSync(join(parent, name, 'package.json'), 'utf8'))
  expect((await jexo('new', join(parent, 'a'), '--from', tarball, '--no-install')).code).toBe(0)
  expect(made('a').dependencies.jexo).toBe(`file:${tarball}`)
  expect(Object.keys(made('a').devDependencies)).toStrictEqual(['esbuild', 'typescript', '@types/node'])
  expect(await jexo('new', join(parent, 'b'), '--from', './none.tgz')).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('./none.tgz: there is no such tarball or folder'),
  })
  expect(existsSync(join(parent, 'b'))).toBe(false)
  // An unreachable registry.
  Object.assign(process.env, { npm_config_registry: 'http://127.0.0.1:9/', npm_config_fetch_retries: '0' })
  expect(await jexo('new', join(parent, 'c'), '--from', '99.0.0')).toMatchObject({
    code: 2,
    stderr: expect.stringMatching(/npm install failed \(.*127\.0\.0\.1:9\/\S+ failed/),
  })
})
