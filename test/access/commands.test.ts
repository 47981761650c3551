import { readFileSync, statSync, utimesSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileStore } from '../../src/access/sign-in/file-store.js'
import { compilingValidator } from '../../src/kit/compiling-validator.js'
import { bin, jexoIn, jexoWith, newFolder, Running, root, written } from '../support/cli.js'
import { Issuer } from '../support/issuer.js'

const kit = () =>
  written(
    'gated.kit.ts',
    `import { defineKit, tool } from 'jexo'
     export default defineKit({ name: 'gated', version: '1.0.0', parts: [
       tool('who', { about: 'Who.', effect: 'read', run: (_, { identity }) => identity?.subject ?? 'nobody' }),
       tool('move', { about: 'Moves.', effect: 'change', scopes: ['hives.write'], run: () => 'moved' }),
       tool('hidden', { about: 'Hidden.', effect: 'read', visibleTo: ({ subject }) => subject === 'bo', run: () => 'seen' }),
     ] })`,
  )

afterAll(() => Running.endAll())

test('token writes a file of hashes, which serve checks callers against', async () => {
  const folder = newFolder()
  const token = (...words: string[]) => jexoIn(folder, 'token', ...words)
  const ada = (await token('add', 'ada', '--scopes', 'hives.write', '--expires', '90d')).stdout.trim()
  const bo = JSON.parse((await token('add', 'bo', '--json')).stdout).token
  const file = join(folder, 'callers.tokens.jsonl')
  const text = readFileSync(file, 'utf8')
  expect(text).not.toContain(ada)
  expect(statSync(file).mode & 0o777).toBe(0o600)
  const schema = JSON.parse(readFileSync(join(root, 'schemas/tokens.schema.json'), 'utf8'))
  const validate = await compilingValidator.prepare(schema)
  for (const line of text.trim().split('\n')) expect(validate(JSON.parse(line))).toStrictEqual([])
  expect((await token('list')).stdout).toMatch(/^ada +hives\.write +until 20\d\d-.*Z\nbo +no scopes +no end\n$/)
  const rows: [string[], RegExp][] = [
    [['add', 'ada'], /already has a token for "ada"/],
    [['add', 'a b'], /not a valid name of a caller/],
    [['add', 'cy', '--expires', '2020-01-01'], /the end "2020-01-01" is not valid/],
    [['add', 'cy', '--scopes', 'a"b'], /the scope "a\\"b" is not valid/],
    [['remove', 'cy'], /has no token for "cy"; it has "ada", "bo"/],
    [['add'], /token add is not valid; expected the name/],
  ]
  for (const [words, said] of rows)
    expect(await token(...words)).toMatchObject({ code: 2, stderr: expect.stringMatching(said) })
  const server = new Running([bin, 'serve', kit(), '--http', '0', '--tokens', file])
  const [, url = ''] = await server.until(/at (http:\S+) \(callers need a token of /)
  const call = (who: string, tool: string) =>
    jexoIn(folder, 'call', url, tool, '--header', `Authorization: Bearer ${who}`)
  expect((await call(ada, 'who')).stdout).toBe('ada\n')
  expect((await call(ada, 'move')).stdout).toBe('moved\n')
  expect(await call(bo, 'move')).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('lacks the scope hives.write'),
  })
  expect(await call(ada, 'hidden')).toMatchObject({ code: 2, stderr: expect.stringContaining('hidden') })
  expect((await call(bo, 'hidden')).stdout).toBe('seen\n')
  expect((await token('remove', 'ada')).code).toBe(0)
  await new Promise((resolve) => setTimeout(resolve, 1100))
  expect(await call(ada, 'who')).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('The token is unknown'),
  })
})

test('serve accepts an issuer, and enforces identities in parts', async () => {
  const issuer = await Issuer.start()
  const file = kit()
  const env = { ...process.env, NO_COLOR: '1', JEXO_TOKEN: 'static', JEXO_SCOPES: 'mcp' } as Record<string, string>
  const server = new Running([bin, 'serve', file, '--http', '0', '--issuer', issuer.url], { env })
  const [, url = ''] = await server.until(/at (http:\S+) \(callers need JEXO_TOKEN or a token of http/)
  const call = async (token: string) =>
    jexoIn(root, 'call', url, 'who', '--header', `Authorization: Bearer ${token}`)
  expect((await call(await issuer.token(url, { scope: 'mcp' }))).stdout).toBe('ada\n')
  expect((await call('static')).stdout).toBe('token\n')
  expect((await call(await issuer.token(url))).code).toBe(2)
  await issuer.close()
  const tried = new Running([
    bin,
    'serve',
    file,
    '--http',
    '0',
    '--as',
    '{"subject":"bo","scopes":["hives.write"]}',
  ])
  const [there = ''] = await tried.until(/http:\S+/)
  for (const [tool, said] of [
    ['who', 'bo'],
    ['move', 'moved'],
    ['hidden', 'seen'],
  ] as const)
    expect((await jexoIn(root, 'call', there, tool)).stdout).toBe(`${said}\n`)
  for (const [words, said] of [
    [['--as', '{}'], /--as is not valid/],
    [['--http', '0.0.0.0:0', '--as', '{"subject":"bo"}'], /gives all callers the same identity/],
    [['--http', '0.0.0.0:0', '--issuer', 'https://id.example'], /the public URL of this server is not set/],
    [['--http', '0', '--issuer', 'http://id.example'], /not a valid issuer/],
  ] as const)
    expect(await jexoIn(root, 'serve', file, ...words)).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(said),
    })
})

test('sign-in stores tokens for later commands, readable by the owner only; without it the commands say what to run', async () => {
  const issuer = await Issuer.start()
  const home = newFolder()
  const env = { ...process.env, NO_COLOR: '1', XDG_CONFIG_HOME: home } as Record<string, string>
  const server = new Running([bin, 'serve', kit(), '--http', '0', '--issuer', issuer.url, '--scopes', 'mcp'])
  const [, url = ''] = await server.until(/at (http:\S+) \(/)
  const jexo = (...words: string[]) => jexoWith(env, root, ...words)
  expect(await jexo('call', url, 'who')).toMatchObject({
    code: 2,
    stderr: expect.stringContaining(`${url}: the server requires callers to sign in; run: jexo sign-in ${url}.`),
  })
  const signing = new Running([bin, 'sign-in', url], { env })
  const [page = ''] = await signing.until(/http:\S+authorize\S+/)
  expect((await (await fetch(page)).text()).includes('You can close this page')).toBe(true)
  await signing.until(/signed in at http:\S+ for mcp; stored in .*sign-ins\.json/)
  const file = join(home, 'jexo/sign-ins.json')
  expect(statSync(file).mode & 0o777).toBe(0o600)
  expect((await jexo('call', url, 'who')).stdout).toBe('ada\n')
  expect((await jexo('show', url)).stdout).toContain('who')
  expect((await jexo('sign-in', '--list')).stdout).toBe(`${url}  at ${issuer.url}  mcp\n`)
  // More scopes need a person, who is absent.
  expect((await jexo('call', url, 'move')).stderr).toContain(`run: jexo sign-in ${url}`)
  expect((await jexo('sign-out', url)).stderr).toContain(`signed out of ${url}`)
  expect((await jexo('sign-out', url)).stderr).toContain('there is no sign-in')
  expect((await jexo('call', url, 'who')).code).toBe(2)
  expect(await jexo('sign-in', 'here')).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('the server "here" is not valid; expected its URL'),
  })
  writeFileSync(file, '{')
  expect((await jexo('call', url, 'who')).stderr).toMatch(/stored sign-ins cannot be read/)
  await issuer.close()
})

test('one process at a time changes the file of sign-ins, and a stale lock is removed', async () => {
  const file = join(newFolder(), 'jexo/sign-ins.json')
  const grant = { accessToken: 't', scopes: [], issuer: 'https://id.example', clientId: 'c' }
  const order: string[] = []
  const put = (name: string) =>
    fileStore(file).update(name, async (now) => {
      order.push(`${name} begins`)
      await new Promise((resolve) => setTimeout(resolve, 20))
      order.push(`${name} ends`)
      return now ?? { ...grant, resource: name }
    })
  await Promise.all(['a', 'b', 'c'].map(put))
  expect(order.filter((_, at) => at % 2 === 0).map((text) => text[0])).toStrictEqual(
    order.filter((_, at) => at % 2 === 1).map((text) => text[0]),
  )
  expect((await fileStore(file).all()).map(({ resource }) => resource).sort()).toStrictEqual(['a', 'b', 'c'])
  writeFileSync(`${file}.lock`, '')
  utimesSync(`${file}.lock`, new Date(0), new Date(0))
  await put('d')
  expect(await fileStore(file).read('d')).toMatchObject({ accessToken: 't' })
})
