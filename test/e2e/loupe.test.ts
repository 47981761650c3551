import { writeFileSync } from 'node:fs'
import type { Page } from 'playwright-core'
import { sharedBrowser } from '../support/browser.js'
import { apiary, bin, Running, written } from '../support/cli.js'

afterAll(() => Running.endAll())
async function open(target: string) {
  const loupe = new Running([bin, 'loupe', target, '--port', '0'])
  const [url] = await loupe.until(/http:\S+/)
  const page = await (await sharedBrowser()).newPage({ viewport: { width: 1280, height: 800 } })
  page.setDefaultTimeout(90_000)
  const faults: string[] = []
  page.on('pageerror', (error) => faults.push(error.message))
  page.on('console', (message) => message.type() === 'error' && faults.push(message.text()))
  await page.goto(url)
  return { loupe, page, url, faults }
}
const line = (page: Page, text: string | RegExp) =>
  page.getByRole('log').getByRole('button').filter({ hasText: text })

describe('Loupe, with the apiary', () => {
  let shown: Awaited<ReturnType<typeof open>>
  beforeAll(async () => {
    shown = await open(apiary)
  })
  beforeEach(async () => {
    await shown.page.goto(`${new URL(shown.url).origin}/#/`)
    await shown.page.getByLabel('Find a part').fill('')
  })

  test('finds, fills and sends a call, and shows request and answer', async () => {
    const { page, faults } = shown
    await page.getByRole('button', { name: /^weigh_hive/ }).waitFor()
    await page.getByLabel('Find a part').fill('scale one hive')
    await page.keyboard.press('Enter')
    await page.getByRole('button', { name: 'hive "ML-04"' }).click()
    await page.getByRole('button', { name: 'Send', exact: true }).click()
    const answer = page.getByRole('region', { name: 'Result' })
    await answer
      .getByText(/^\d+\.\d+$/)
      .first()
      .waitFor()
    const call = line(page, 'tools/call weigh_hive')
    await call.click()
    await page.getByText('"method": "tools/call"').waitFor()
    expect(await page.locator('pre', { hasText: '"tools/call"' }).textContent()).toContain('"hive": "ML-04"')
    await line(page, /^.*result.*kg \d/).waitFor()
    expect(faults).toStrictEqual([])
  })

  test('refuses invalid values in the form, and shows the response of the server to them', async () => {
    const { page } = shown
    await page.getByRole('button', { name: /^weigh_hive/ }).click()
    await page.getByRole('textbox', { name: 'hive' }).fill('99')
    await page.getByRole('button', { name: 'Send', exact: true }).click()
    await page
      .getByText(/must match pattern/)
      .first()
      .waitFor()
    await page.getByRole('button', { name: 'Send unchecked' }).click()
    await page.getByText('The tool returned an error').waitFor()
    await page
      .getByLabel('Result', { exact: true })
      .getByText(/hive: received "99"; expected a string/)
      .waitFor()
  })

  test('shows upstream requests in the last lane, without the key', async () => {
    const { page } = shown
    await page.getByRole('button', { name: /^get_hive/ }).click()
    await page.getByRole('combobox', { name: 'hive' }).fill('ML-07')
    await page.getByRole('button', { name: 'Send', exact: true }).click()
    const asked = line(page, /GET \/hives\/ML-07.*200 · \d+ bytes/)
    await asked.click()
    const opened = page.locator('pre', { hasText: 'notifications/jexo/upstream' })
    await opened.waitFor()
    const text = await opened.textContent()
    expect(text).toContain('"X-Registry-Key": "••••"')
    expect(text).not.toContain('marsh-lane-demo-key')
    await page.getByText('server → upstream').waitFor()
  })

  test('completes a template, reads it, and accepts raw JSON', async () => {
    const { page } = shown
    await page.getByRole('button', { name: /^apiary:\/\/hives\/\{hive\}/ }).click()
    await page.getByRole('combobox', { name: 'hive' }).fill('07')
    await page.getByRole('option', { name: 'ML-07' }).click()
    await page.getByText('apiary://hives/ML-07', { exact: true }).waitFor()
    await page.getByRole('button', { name: 'Read' }).click()
    await page.getByText('"Quarry Field"', { exact: true }).waitFor()
    await page.keyboard.press('Escape')
    await page.getByRole('button', { name: /^weigh_hive/ }).click()
    await page.getByRole('button', { name: 'As JSON' }).click()
    await page.locator('.cm-content').fill('{ "hive": "ML-99" }')
    await page.getByRole('button', { name: 'Send', exact: true }).click()
    await page
      .getByText(/There is no hive ML-99/)
      .last()
      .waitFor()
  })

  test('responds only with the token, to its own page, on this machine', async () => {
    const { page, url } = shown
    const { origin, searchParams } = new URL(url)
    const token = String(searchParams.get('token'))
    const ask = (headers: Record<string, string>) => fetch(`${origin}/api/tape`, { headers })
    expect((await ask({})).status).toBe(401)
    expect((await ask({ 'x-jexo-token': 'wrong' })).status).toBe(401)
    expect((await ask({ 'x-jexo-token': token })).status).toBe(200)
    expect((await ask({ 'x-jexo-token': token, origin: 'https://evil.example' })).status).toBe(403)
    expect((await fetch(origin)).headers.get('content-security-policy')).toContain("default-src 'self'")
    expect(page.url()).not.toContain(token)
  })

  test('ends on request', async () => {
    await shown.page.close()
    expect(await shown.loupe.end()).toBe(0)
  })
})

describe('Loupe', () => {
  test('shows progress as marks, and cancels', async () => {
    const kit = written(
      'patient.kit.mjs',
      `import { once } from 'node:events'
      import { defineKit, tool } from 'jexo'
      export default defineKit({ name: 'patient', version: '1', parts: [
        tool('weigh_all', { about: 'Weighs until it is told to stop.', effect: 'read', async run(_input, call) {
          call.progress(1, 4, 'ML-05')
          await once(call.signal, 'abort')
          return 'stopped'
        } }),
      ] })`,
    )
    const { loupe, page } = await open(kit)
    await page.getByRole('button', { name: /^weigh_all/ }).click()
    await page.getByRole('button', { name: 'Send', exact: true }).click()
    await line(page, '1 of 4 · ML-05').waitFor()
    await page.getByRole('button', { name: 'Cancel' }).click()
    await page.getByRole('heading', { name: /Cancelled/ }).waitFor()
    await line(page, 'cancelled').waitFor()
    await page.close()
    await loupe.end()
  })

  test('reports why a server does not start, and starts it again after a fix', async () => {
    const kit = written(
      'late.kit.mjs',
      `import { existsSync } from 'node:fs'
      import { defineKit, tool } from 'jexo'
      if (!existsSync(new URL('./now', import.meta.url))) throw new Error('not yet')
      export default defineKit({ name: 'late', version: '1', parts: [tool('late_tool', { about: 'x', effect: 'read', run: () => 1 })] })`,
    )
    const { loupe, page } = await open(kit)
    await page
      .getByRole('alert')
      .getByText(/not yet/)
      .waitFor()
    await line(page, 'it does not load: Error: not yet').first().waitFor()
    writeFileSync(kit.replace('late.kit.mjs', 'now'), '')
    await page.getByRole('button', { name: 'Connect', exact: true }).click()
    await page.getByRole('button', { name: /^late_tool/ }).waitFor()
    await page.close()
    await loupe.end()
  })
})
