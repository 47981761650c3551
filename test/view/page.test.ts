import { gzipSync } from 'node:zlib'
import { jest } from '@jest/globals'
import { build } from 'esbuild'
import { openView, type ViewError } from 'jexo/view'
import { root } from '../support/cli.js'
import { ScriptedHost } from '../support/views.js'

const input = { hive: 'ML-04' }
const result = { content: [{ type: 'text', text: '41 kg' }], structuredContent: { kg: 41 } }

describe('a view and its host', () => {
  test('shake hands, and the view introduces itself first', async () => {
    const host = new ScriptedHost()
    const view = await openView({ name: 'card', version: '2', displayModes: ['inline'] }, host.window)
    expect(host.heard.slice(0, 2)).toStrictEqual([
      {
        jsonrpc: '2.0',
        id: 1,
        method: 'ui/initialize',
        params: {
          protocolVersion: '2026-01-26',
          appInfo: { name: 'card', version: '2' },
          appCapabilities: { availableDisplayModes: ['inline'] },
        },
      },
      { jsonrpc: '2.0', method: 'ui/notifications/initialized', params: {} },
    ])
    expect(view).toMatchObject({ name: 'host', isStandalone: false, context: { theme: 'dark', locale: 'de-CH' } })
  })

  test('pass on input, result, cancellation and context as they arrive', async () => {
    const host = new ScriptedHost()
    const view = await openView<typeof input, { kg: number }>({}, host.window)
    const told: unknown[] = []
    for (const event of ['input', 'partialInput', 'result', 'cancelled', 'context'] as const)
      view.on(event, (value) => told.push([event, value]))
    let changes = 0
    const stop = view.onChange(() => changes++)
    host.notify('tool-input-partial', { arguments: { hive: 'ML-' } })
    expect(view.partialInput).toStrictEqual({ hive: 'ML-' })
    host.notify('tool-input', { arguments: input })
    host.notify('tool-result', result)
    host.notify('tool-cancelled', { reason: 'the person stopped' })
    host.notify('host-context-changed', { theme: 'light' })
    expect(told).toStrictEqual([
      ['partialInput', { hive: 'ML-' }],
      ['input', input],
      ['result', result],
      ['cancelled', 'the person stopped'],
      ['context', expect.objectContaining({ theme: 'light', locale: 'de-CH' })],
    ])
    expect(view).toMatchObject({ input, partialInput: undefined, result, cancelled: 'the person stopped' })
    stop()
    host.notify('tool-result', result)
    expect(changes).toBe(5)
  })

  test.each([
    [
      'call',
      (view: View) => view.call('weigh_hive', input),
      'tools/call',
      { name: 'weigh_hive', arguments: input },
    ],
    ['read', (view: View) => view.read('hives://all'), 'resources/read', { uri: 'hives://all' }],
    [
      'say',
      (view: View) => view.say('Done.'),
      'ui/message',
      { role: 'user', content: [{ type: 'text', text: 'Done.' }] },
    ],
    [
      'tellModel with text',
      (view: View) => view.tellModel('41 kg'),
      'ui/update-model-context',
      { content: [{ type: 'text', text: '41 kg' }] },
    ],
    [
      'tellModel with data',
      (view: View) => view.tellModel({ kg: 41 }),
      'ui/update-model-context',
      { structuredContent: { kg: 41 } },
    ],
    [
      'openLink',
      (view: View) => view.openLink('https://a.example/'),
      'ui/open-link',
      { url: 'https://a.example/' },
    ],
    ['display', (view: View) => view.display('fullscreen'), 'ui/request-display-mode', { mode: 'fullscreen' }],
  ])('%s sends the message of the extension', async (_, act, method, params) => {
    const host = new ScriptedHost()
    const view = await openView({}, host.window)
    await act(view)
    expect(host.heard.at(-1)).toMatchObject({ method, params })
  })

  test('answer ping, wait for teardown, and refuse requests that a host may not send', async () => {
    const host = new ScriptedHost()
    const view = await openView({}, host.window)
    const saved: string[] = []
    const failed = jest.spyOn(console, 'error').mockImplementation(() => {})
    view.on('teardown', async (reason) => {
      await Promise.resolve()
      saved.push(reason)
    })
    view.on('teardown', () => {
      throw new Error('a listener fails')
    })
    expect(await host.ask('ping')).toStrictEqual({ result: {} })
    expect(await host.ask('ui/resource-teardown', { reason: 'closed' })).toStrictEqual({ result: {} })
    expect(saved).toStrictEqual(['closed'])
    expect(failed).toHaveBeenCalledWith(expect.objectContaining({ message: 'a listener fails' }))
    failed.mockRestore()
    expect(await host.ask('tools/list')).toMatchObject({ error: { code: -32601 } })
  })

  test('use only declared capabilities of the host, and name a missing one', async () => {
    const host = new ScriptedHost({ hostCapabilities: {} })
    const view = await openView({}, host.window)
    const before = host.heard.length
    for (const act of [
      () => view.call('weigh_hive'),
      () => view.read('hives://all'),
      () => view.say('x'),
      () => view.tellModel('x'),
      () => view.openLink('https://a.example'),
      () => view.display('pip'),
    ])
      await expect(act()).rejects.toThrow(/does not let pages|no display mode/)
    view.log('info', 'x')
    expect(host.heard).toHaveLength(before)
  })

  test('reject errors of the host with their code, and requests without a response', async () => {
    const host = new ScriptedHost()
    const view = await openView({}, host.window)
    host.refuse('tools/call', -32000, 'the person refused')
    await expect(view.call('weigh_hive')).rejects.toMatchObject({ code: -32000, message: 'the person refused' })
    host.silent.add('tools/call')
    await expect(view.call('weigh_hive', {}, { timeoutMs: 10 })).rejects.toThrow(/within 10 ms/)
    const controller = new AbortController()
    const call = view.call('weigh_hive', {}, { signal: controller.signal })
    controller.abort()
    await expect(call).rejects.toThrow(/cancelled/)
    expect(host.heard.at(-1)).toMatchObject({ method: 'notifications/cancelled' })
    await expect(view.openLink('javascript:alert(1)')).rejects.toThrow(/not an http/)
  })

  test.each([
    ['a host that does not answer', (host: ScriptedHost) => host.silent.add('ui/initialize'), /within 20 ms/],
    ['a host that refuses', (host: ScriptedHost) => host.refuse('ui/initialize', -32601, 'no views'), /no views/],
    ['a host without a version', (host: ScriptedHost) => host.reply('ui/initialize', {}), /protocolVersion/],
  ])('stop waiting on %s', async (_, prepare, said) => {
    const host = new ScriptedHost()
    prepare(host)
    await expect(openView({ timeoutMs: 20 }, host.window)).rejects.toThrow(said)
  })

  test('ignore data that is not a message', async () => {
    const host = new ScriptedHost()
    const view = await openView<typeof input>({}, host.window)
    const circle: Record<string, unknown> = { jsonrpc: '2.0', method: 'ui/notifications/tool-input' }
    circle.params = circle
    for (const data of [
      null,
      'x',
      7,
      [],
      {},
      { jsonrpc: '1.0' },
      { jsonrpc: '2.0', id: {}, method: 'x' },
      { jsonrpc: '2.0', id: 99, result: {} },
      { jsonrpc: '2.0', method: 'ui/notifications/tool-input', params: 'x' },
      circle,
    ])
      host.post(data)
    host.notify('tool-result', { content: 'not a list' })
    expect(view.result).toStrictEqual({ content: [] })
    host.notify('tool-input', { arguments: input })
    expect(view.input).toStrictEqual(input)
  })

  test('run on sample data without a host', async () => {
    const view = await openView({ sample: { input, result: { kg: 41 } } }, new ScriptedHost().alone)
    expect(view).toMatchObject({ isStandalone: true, input, result: { structuredContent: { kg: 41 } } })
    await expect(view.call('weigh_hive')).rejects.toThrow(/no example/)
    await expect(view.say('x')).rejects.toThrow(/without a host/)
    expect(await view.display('pip')).toBe('inline')
  })
})

type View = Awaited<ReturnType<typeof openView>>

test('jexo/view has less than 8 kB and no dependency', async () => {
  const { outputFiles, metafile } = await build({
    entryPoints: [`${root}/src/view.ts`],
    ...{ bundle: true, minify: true, format: 'esm', target: 'es2022', write: false, metafile: true },
  })
  expect(Object.keys(metafile.inputs).filter((path) => path.includes('node_modules'))).toStrictEqual([])
  expect(gzipSync(outputFiles[0]?.contents ?? '').length).toBeLessThan(8000)
  const refused: Pick<ViewError, 'code'> = { code: -32000 }
  expect(refused.code).toBe(-32000)
})
