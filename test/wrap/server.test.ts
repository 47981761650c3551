import { defineKit, type Kit, tool, view } from 'jexo'
import { cache } from 'jexo/layers'
import type { Link, LinkOptions } from 'jexo/link'
import { connect, serveHttp } from 'jexo/node'
import { kitFromServer, planServer, type WrapServerOptions, wrapServer } from 'jexo/server'

const script = `${import.meta.dirname}/../support/wrapped-server.mjs`
const server = (...args: string[]) => ({ command: process.execPath, args: [script, ...args] })
const links: Link[] = []
const reports: string[] = []

async function linkTo(kit: Kit, options: LinkOptions = {}): Promise<Link> {
  const link = await connect(kit, { report: ({ text }) => void reports.push(text), ...options })
  links.push(link)
  return link
}
const wrapped = async (options: WrapServerOptions = {}, ...args: string[]) =>
  defineKit({ name: 'front', version: '1.0.0', parts: await wrapServer(server(...args), options) })
const textOf = async (link: Link, tool: string, args = {}) => {
  const { content } = await link.call(tool, args)
  return (content[0] as { text: string }).text
}

afterEach(async () => {
  for (const link of links.splice(0)) await link.close()
  reports.length = 0
})

test('a wrapped server keeps its own name, instructions and definitions', async () => {
  const kit = await kitFromServer(server())
  expect(kit).toMatchObject({ name: 'hives', version: '2.0.0', about: 'Weighs hives.' })
  const echo = (await (await linkTo(kit)).tools()).find(({ name }) => name === 'echo')
  expect(echo).toStrictEqual({
    name: 'echo',
    description: 'About echo.',
    inputSchema: { type: 'object' },
    annotations: { readOnlyHint: true, openWorldHint: false },
    _meta: { 'apiary/place': 'ML' },
  })
})

test('arguments, _meta and results pass unchanged, even if they are invalid', async () => {
  const link = await linkTo(await wrapped())
  const echoed = await link.call('echo', { odd: [1, null] }, { meta: { 'apiary/from': 'test' } })
  expect(JSON.parse((echoed.content[0] as { text: string }).text)).toMatchObject({
    name: 'echo',
    arguments: { odd: [1, null] },
    _meta: { 'apiary/from': 'test' },
  })
  expect(echoed._meta).toStrictEqual({ 'apiary/seen': 1 })
  expect(await link.call('lies')).toMatchObject({ structuredContent: { kg: 'heavy' } })
  await expect(link.call('refuse')).rejects.toMatchObject({
    code: -32050,
    message: 'not today',
    data: { until: 'Monday' },
  })
})

test('parts can be chosen, renamed, redescribed, tagged and put behind layers', async () => {
  const changes = { h_echo: { about: 'Repeats.', tags: ['safe'], layers: [cache({ keepMs: 60_000 })] } }
  const kit = await wrapped({
    only: ['echo', 'pid', 'hives://*'],
    except: ['hives://{code}'],
    prefix: 'h_',
    rename: { pid: 'process' },
    override: changes,
  })
  const link = await linkTo(kit)
  const tools = await link.tools()
  expect(tools.map(({ name, description }) => [name, description])).toStrictEqual([
    ['h_process', 'About pid.'],
    ['h_echo', 'Repeats.'],
  ])
  expect(await textOf(link, 'h_echo', { a: 1 })).toBe(await textOf(link, 'h_echo', { a: 1 }))
  expect((await link.resources()).map(({ uri }) => uri)).toStrictEqual(['hives://ML-04'])
  await expect(wrapServer(server(), { only: ['ech'] })).rejects.toMatchObject({
    code: 'part-missing',
    message: expect.stringContaining('echo'),
  })
})

test('forty tools become three', async () => {
  const link = await linkTo(await wrapped({ catalogue: true }))
  expect((await link.tools()).map(({ name }) => name)).toStrictEqual([
    'find_tool',
    'explain_tool',
    'carry_out_tool',
  ])
  const result = await link.call('carry_out_tool', { tool: 'echo', arguments: {} })
  expect(JSON.stringify(result.content)).toContain('echo')
})

test('two servers with the same names and URIs work in one kit', async () => {
  const parts = [
    ...(await wrapServer(server(), { prefix: 'north_', uriPrefix: 'north' })),
    ...(await wrapServer(server(), { prefix: 'south_', uriPrefix: 'south' })),
  ]
  const link = await linkTo(defineKit({ name: 'both', version: '1.0.0', parts }))
  expect(await textOf(link, 'north_pid')).not.toBe(await textOf(link, 'south_pid'))
  expect((await link.read('south+hives://ML-04')).contents).toStrictEqual([
    { uri: 'south+hives://ML-04', text: 'read hives://ML-04' },
  ])
  expect((await link.read('north+hives://QF-01')).contents).toStrictEqual([
    { uri: 'north+hives://QF-01', text: 'read hives://QF-01' },
  ])
  const { content } = await link.call('north_link')
  expect(content).toMatchObject([{ uri: 'north+hives://ML-04' }, { resource: { uri: 'north+hives://ML-04' } }])
  const updated = new Promise((resolve) => link.on('resourceUpdated', resolve))
  await link.subscribe('north+hives://ML-04')
  expect(await updated).toStrictEqual({ uri: 'north+hives://ML-04' })
})

test('a client of the newest revision works with a server of the oldest, which cannot ask', async () => {
  const link = await linkTo(await wrapped({}, '2024-11-05'), {
    onQuestion: () => ({ action: 'accept', content: { kg: 41 } }),
  })
  expect(link.revision).toBe('2025-11-25')
  expect(JSON.parse(await textOf(link, 'echo', { a: 1 }))).toMatchObject({ arguments: { a: 1 } })
})

test('questions and logs reach the caller that they belong to', async () => {
  const kit = await wrapped()
  const logged: unknown[] = []
  const one = await linkTo(kit, {
    onQuestion: () => ({ action: 'accept', content: { kg: 41 } }),
    onLog: (message) => logged.push(message),
  })
  const other = await linkTo(kit, { onQuestion: () => ({ action: 'decline' }) })
  expect(await Promise.all([textOf(one, 'ask'), textOf(other, 'ask')])).toStrictEqual([
    '{"action":"accept","content":{"kg":41}}',
    '{"action":"decline"}',
  ])
  const without = await linkTo(kit)
  expect(JSON.parse(await textOf(without, 'ask'))).toMatchObject({ code: -32601 })
  await one.call('log')
  expect(logged).toStrictEqual([{ level: 'warning', logger: 'scale', data: { kg: 41 } }])
})

test('each caller has its own session, which ends with the caller; a shared session serves all', async () => {
  const service = await serveHttp(await wrapped({ maxSessions: 2 }), { port: 0 })
  const open = async (url = service.url) => {
    const link = await connect(url)
    links.push(link)
    return link
  }
  const [first, second, third] = [await open(), await open(), await open()]
  const pids = [await textOf(first, 'pid'), await textOf(second, 'pid')]
  expect(new Set(pids).size).toBe(2)
  expect(await third.call('pid')).toMatchObject({
    isError: true,
    content: [{ text: expect.stringContaining('Too many callers') }],
  })
  await first.close()
  await until(() => !isAlive(Number(pids[0])))
  expect(await textOf(third, 'pid')).toMatch(/^\d+$/)
  await service.close()
  const shared = await serveHttp(await wrapped({ sessions: 'shared' }), { port: 0 })
  expect(await textOf(await open(shared.url), 'pid')).toBe(await textOf(await open(shared.url), 'pid'))
  await shared.close()
})

test('changed roots of a caller are passed on to the server if the caller declared that', async () => {
  const kit = await wrapped()
  const link = await linkTo(kit, { roots: [{ uri: 'file:///a' }] })
  expect(await textOf(link, 'roots')).toBe('0')
  link.setRoots([{ uri: 'file:///b' }])
  link.setRoots([{ uri: 'file:///c' }])
  expect(await textOf(link, 'roots')).toBe('2')
  expect(await textOf(await linkTo(kit), 'roots')).toBe('0')
})

test('views and page-only tools reach only callers that show views', async () => {
  const card = view('ui://hives/card', {
    about: 'A hive.',
    page: '<h1>ML-04</h1>',
    connects: ['https://tiles.example'],
  })
  const run = () => 'done'
  const upstream = await serveHttp(
    defineKit({
      name: 'pages',
      version: '1.0.0',
      parts: [
        tool('show_hive', { about: 'Shows.', effect: 'read', view: card, run }),
        tool('tap', { about: 'For the page.', effect: 'change', forPages: 'only', view: card, run }),
        tool('plain', { about: 'Plain.', effect: 'read', run }),
      ],
    }),
    { port: 0 },
  )
  const parts = [
    ...(await wrapServer(upstream.url)),
    ...(await wrapServer(upstream.url, { prefix: 'n_', uriPrefix: 'north' })),
  ]
  const kit = defineKit({ name: 'front', version: '1.0.0', parts })
  const host = await linkTo(kit, { views: true })
  const tools = await host.tools()
  expect(
    tools.map(({ name, _meta }) => [name, (_meta?.ui as { resourceUri?: string } | undefined)?.resourceUri]),
  ).toStrictEqual([
    ['show_hive', 'ui://hives/card'],
    ['tap', 'ui://hives/card'],
    ['plain', undefined],
    ['n_show_hive', 'ui://north.hives/card'],
    ['n_tap', 'ui://north.hives/card'],
    ['n_plain', undefined],
  ])
  expect(tools.find(({ name }) => name === 'tap')?._meta?.ui).toMatchObject({ visibility: ['app'] })
  for (const uri of ['ui://hives/card', 'ui://north.hives/card'])
    expect((await host.read(uri)).contents[0]).toMatchObject({
      uri,
      mimeType: 'text/html;profile=mcp-app',
      text: expect.stringContaining('<h1>ML-04</h1>'),
      _meta: { ui: { csp: { connectDomains: ['https://tiles.example'] } } },
    })
  expect(await textOf(host, 'n_tap')).toBe('done')
  const plain = await linkTo(kit)
  expect((await plain.tools()).map(({ name }) => name)).toStrictEqual([
    'show_hive',
    'plain',
    'n_show_hive',
    'n_plain',
  ])
  expect((await plain.resources()).map(({ uri }) => uri)).toStrictEqual([])
  await upstream.close()
})

test('a tool that the server adds appears here', async () => {
  const link = await linkTo(
    await wrapped({ prefix: 'h_', override: { h_echo: { about: 'Repeats.', effect: 'read' } } }),
  )
  const changed = new Promise((resolve) => link.on('toolsChanged', () => resolve(undefined)))
  await link.call('h_grow')
  await changed
  const tools = await link.tools()
  expect(tools.map(({ name }) => name)).toContain('h_grown')
  expect(tools.find(({ name }) => name === 'h_echo')).toMatchObject({
    description: 'Repeats.',
    annotations: { readOnlyHint: true },
  })
})

test('unusable names are changed or skipped, with the reason', async () => {
  const { tools, skipped } = await planServer(server('2025-11-25', 'wild'))
  expect(tools.map(({ as }) => as)).toStrictEqual(['weigh_hive', 'twice', '_mlaut_31m', 'silent'])
  expect(skipped.map(({ kind, reason }) => `${kind}: ${reason}`).sort()).toStrictEqual([
    'template: its URI template cannot be read',
    'tool: another tool is called weigh_hive already; rename one of them',
    'tool: it has no name',
    'tool: its annotations are not an object',
    'tool: its icons are not a list',
    'tool: its input schema is not that of an object',
    'tool: its name is longer than 128 characters; rename it',
    'tool: its title, description or type is not a text',
    'tool: the server lists it twice',
  ])
})

describe('a faulty server', () => {
  test('that hangs is ended by its time limit and by cancellation', async () => {
    const link = await linkTo(await wrapped({ timeoutMs: 1500 }))
    expect(await link.call('hang')).toMatchObject({
      isError: true,
      content: [{ text: expect.stringContaining('did not respond in time') }],
    })
    const controller = new AbortController()
    const hanging = link.call('hang', {}, { signal: controller.signal })
    controller.abort()
    await expect(hanging).rejects.toThrow()
    expect(await textOf(link, 'pid')).toMatch(/^\d+$/)
  })

  test('that exits is restarted after a growing delay', async () => {
    const link = await linkTo(await wrapped())
    const before = await textOf(link, 'pid')
    expect(await link.call('die')).toMatchObject({
      isError: true,
      content: [{ text: expect.stringMatching(/^The wrapped server ended before it responded\. \(error/) }],
    })
    expect(await link.call('pid')).toMatchObject({
      isError: true,
      content: [{ text: expect.stringContaining('cannot be reached now') }],
    })
    await until(async () => (await link.call('pid')).isError !== true)
    expect(await textOf(link, 'pid')).not.toBe(before)
    expect(reports.join('\n')).toMatch(/hives: the server ended with code 3/)
  })

  test('that floods or sends an invalid result fails only that call', async () => {
    const logged: unknown[] = []
    const link = await linkTo(await wrapped(), { onLog: (message) => logged.push(message) })
    expect(await textOf(link, 'flood')).toBe('flooded')
    expect(logged.length).toBe(2000)
    expect(await link.call('wrong')).toMatchObject({ isError: true })
    expect(await textOf(link, 'pid')).toMatch(/^\d+$/)
  })

  test('that cannot be reached is reported when the kit is made', async () => {
    await expect(wrapServer({ command: '/none/server' })).rejects.toMatchObject({ code: 'connect-failed' })
    await expect(wrapServer('ftp://apiary.example')).rejects.toMatchObject({ code: 'part-field' })
    await expect(wrapServer(server(), { rename: { pid: 'a b' } })).rejects.toMatchObject({ code: 'part-field' })
    await expect(wrapServer(server(), { uriPrefix: 'A b' })).rejects.toMatchObject({ code: 'part-field' })
  })
})

/** Polls until the condition holds; the time limit of the test ends it. */
async function until(isSo: () => boolean | Promise<boolean>): Promise<void> {
  while (!(await isSo())) await new Promise((resolve) => setTimeout(resolve, 50))
}

function isAlive(pid: number): boolean {
  try {
    return process.kill(pid, 0)
  } catch {
    return false
  }
}
