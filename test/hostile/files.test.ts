import {
  chmodSync,
  existsSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { entryFor, withRelay } from '../../src/attach/entry.js'
import { carryOut, planEntry, withValues } from '../../src/attach/write-entry.js'
import { relayHttp } from '../../src/relay/relay-http.js'
import { TapeWriter } from '../../src/tape/write.js'
import { bin, newFolder, run } from '../support/cli.js'

/** Files in folders, and files that others put there, while Jexo packs, writes and records. */
describe('a packed folder', () => {
  const folder = newFolder()
  const put = (name: string, text: string) => {
    mkdirSync(join(folder, name, '..'), { recursive: true })
    writeFileSync(join(folder, name), text)
  }
  const secrets = [
    'pages/.env',
    'pages/.git/config',
    'pages/ignored/notes.md',
    'pages/sub/.hidden.md',
    'pages/node_modules/x/readme.md',
    'plain/.env',
    'plain/.git/config',
    'outside.txt',
  ]
  for (const name of secrets) put(name, `SECRET of ${name}`)
  put('pages/.gitignore', 'ignored/\n*.tmp\n')
  put('pages/bees.md', '# Bees')
  put('pages/sub/moths.md', '# Moths')
  put('pages/left.tmp', 'SECRET of left.tmp')
  put('plain/data.txt', 'data')
  symlinkSync(join(folder, 'outside.txt'), join(folder, 'pages/linked.md'))
  symlinkSync(join(folder, 'outside.txt'), join(folder, 'plain/linked.txt'))
  symlinkSync(folder, join(folder, 'plain/all'))

  test('includes the files that the wrap serves, and of other folders no hidden files and links', async () => {
    const kit = join(folder, 'pages.kit.mjs')
    writeFileSync(
      kit,
      `import { readFileSync } from 'node:fs'\nimport { defineKit, tool } from 'jexo'\nimport { wrapFolder } from 'jexo/folder'\nconst plain = new URL('./plain/', import.meta.url)\nexport default defineKit({ name: 'pages', version: '1.0.0', parts: [...await wrapFolder(new URL('./pages/', import.meta.url)), tool('data', { about: 'Data.', effect: 'read', run: () => readFileSync(new URL('data.txt', plain), 'utf8') })] })`,
    )
    mkdirSync(join(folder, 'node_modules'), { recursive: true })
    symlinkSync(process.cwd(), join(folder, 'node_modules/jexo'))
    const out = join(folder, 'packed')
    await run(process.execPath, [bin, 'pack', kit, '--out', out], { cwd: folder })
    const code = readFileSync(join(out, 'pages.mjs'), 'utf8')
    const [, contents = '{}'] = /__jexoAssetContents=(\{.*?\});/.exec(code) ?? []
    expect(Object.keys(JSON.parse(contents)).map((name) => name.replace(/^(up\/)+/, ''))).toStrictEqual([
      'pages/bees.md',
      'pages/sub/moths.md',
      'plain/data.txt',
    ])
    expect(code).not.toContain(Buffer.from('SECRET').toString('base64').slice(0, 7))
  })
})

describe('writing a host configuration', () => {
  const entry = { command: 'node', args: ['x.mjs'] }
  const write = async (file: string) => carryOut(await planEntry(file, 'hives', entry))
  const text = '{ "mcpServers": {} }\n'

  test('keeps its mode, and makes a new file readable by the owner only', async () => {
    const file = join(newFolder(), 'host.json')
    await write(file)
    expect(statSync(file).mode & 0o777).toBe(0o600)
    chmodSync(file, 0o640)
    writeFileSync(file, text)
    const backup = await write(file)
    expect([file, String(backup)].map((path) => statSync(path).mode & 0o777)).toStrictEqual([0o640, 0o640])
  })

  test.each([
    ['host.json', '{ "mcpServers": [] }', /"mcpServers" is not an object/],
    ['host.json', '{ "mcpServers": "x" }', /"mcpServers" is not an object/],
    ['host.toml', 'mcp_servers = []\n', /not a valid host configuration/],
    ['host.toml', '[[mcp_servers]]\na = 1\n', /not a valid host configuration/],
    ['host.yaml', 'mcpServers: x\n', /not a valid host configuration/],
    ['host.yaml', 'mcpServers: 5\n', /not a valid host configuration/],
  ])('is refused if %s holds %s, which it would lose', async (name, held, reason) => {
    const file = join(newFolder(), name)
    writeFileSync(file, held)
    await expect(write(file)).rejects.toThrow(reason)
    expect(readFileSync(file, 'utf8')).toBe(held)
  })

  test('writes through a link and keeps the link', async () => {
    const folder = newFolder()
    const real = join(newFolder(), 'real.json')
    writeFileSync(real, text)
    const file = join(folder, 'host.json')
    symlinkSync(real, file)
    await write(file)
    expect(lstatSync(file).isSymbolicLink()).toBe(true)
    expect(readFileSync(real, 'utf8')).toContain('hives')
    const far = join(newFolder(), 'not-yet.json')
    const dangling = join(folder, 'dangling.json')
    symlinkSync(far, dangling)
    await write(dangling)
    expect(readFileSync(far, 'utf8')).toContain('hives')
  })

  test('never writes through a link at the name of its backup or draft', async () => {
    const folder = newFolder()
    const victim = join(newFolder(), 'victim.txt')
    writeFileSync(victim, 'as it was')
    const file = join(folder, 'host.json')
    writeFileSync(file, text)
    for (const name of ['host.json.before-jexo', 'host.json.jexo-draft']) symlinkSync(victim, join(folder, name))
    await write(file)
    expect(readFileSync(victim, 'utf8')).toBe('as it was')
    expect(readFileSync(join(folder, 'host.json.before-jexo'), 'utf8')).toBe(text)
    expect(readdirSync(folder).filter((name) => name.endsWith('draft'))).toStrictEqual(['host.json.jexo-draft'])
  })

  test('stores no secret of a header, unless allowed', async () => {
    const headers = {
      Authorization: 'Bearer abc-123',
      'X-Api-Key': 'k',
      'X-Site': 'Marsh',
      'X-Odd': 'Zq8xT4kP0vLm2nBw7RtYs5Hd',
    }
    const target = { kind: 'url', url: 'https://hives.example/mcp', headers } as const
    const found = await entryFor(target, {})
    const made = withRelay(target, found, '/tmp/x.tape.jsonl') as { args: string[]; env?: object }
    expect(JSON.stringify(made)).not.toMatch(/abc-123|: k|Zq8x/)
    expect(made.args.join(' ')).not.toMatch(/abc-123|: k|Zq8x/)
    expect(made.args).toContain('X-Site: Marsh')
    expect((withValues(made as never, found.secrets) as typeof made).env).toStrictEqual({
      JEXO_HEADER_AUTHORIZATION: 'Bearer abc-123',
      JEXO_HEADER_X_API_KEY: 'k',
      JEXO_HEADER_X_ODD: 'Zq8xT4kP0vLm2nBw7RtYs5Hd',
    })
  })
})

describe('a tape', () => {
  test('is readable by the owner only', async () => {
    const file = join(newFolder(), 'x.tape.jsonl')
    await (await TapeWriter.open(file)).close()
    expect(statSync(file).mode & 0o777).toBe(0o600)
  })

  test('is not written through a link', async () => {
    const folder = newFolder()
    const victim = join(folder, 'victim.txt')
    const file = join(folder, 'x.tape.jsonl')
    symlinkSync(victim, file)
    await expect(TapeWriter.open(file)).rejects.toThrow(/link/)
    expect(existsSync(victim)).toBe(false)
  })
})

describe('a relay over HTTP', () => {
  const seen: string[] = []
  const upstream = createServer((request, response) => {
    seen.push(`${request.method} ${request.url} ${request.headers.authorization ?? ''}`)
    response.writeHead(200, { 'content-type': 'application/json' }).end('{}')
  })
  beforeAll(() => new Promise<void>((resolve) => upstream.listen(0, '127.0.0.1', resolve)))
  afterAll(() => {
    upstream.close()
  })
  const to = () => new URL(`http://127.0.0.1:${(upstream.address() as AddressInfo).port}/mcp`)
  const relayWith = (more: object = {}) =>
    relayHttp(
      to(),
      { host: '127.0.0.1', port: 0, headers: { authorization: 'Bearer upstream' }, ...more },
      () => {},
    )

  test.each([
    ['/mcp', {}, 200],
    ['/mcp?x=1', {}, 200],
    ['/', {}, 404],
    ['/admin', {}, 404],
    ['/mcp/../admin', {}, 404],
    ['/mcp/', {}, 404],
    ['/%6dcp', {}, 404],
    ['//evil.example/mcp', {}, 404],
    ['/mcp', { 'sec-fetch-site': 'cross-site' }, 403],
    ['/mcp', { origin: 'https://evil.example' }, 403],
    ['/mcp', { host: 'evil.example' }, 403],
  ])('responds to %s with %j with status %i', async (path, headers, status) => {
    const relay = await relayWith()
    seen.length = 0
    const { request } = await import('node:http')
    const answered = await new Promise<number | undefined>((resolve) => {
      request({ host: '127.0.0.1', port: new URL(relay.url).port, path, headers }, (response) => {
        response.resume()
        resolve(response.statusCode)
      }).end()
    })
    expect(answered).toBe(status)
    expect(seen.length).toBe(status === 200 ? 1 : 0)
    await relay.close()
  })

  test('with a token refuses requests without it, and does not pass it on', async () => {
    const relay = await relayWith({ token: 'relay-token', headers: {} })
    seen.length = 0
    const statuses = []
    for (const authorization of ['', 'Bearer wrong', 'Bearer relay-token'])
      statuses.push((await fetch(relay.url, { headers: authorization ? { authorization } : {} })).status)
    expect(statuses).toStrictEqual([401, 401, 200])
    expect(seen).toStrictEqual(['GET /mcp '])
    await relay.close()
  })
})
