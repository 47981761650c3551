import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { Ajv2020 } from 'ajv/dist/2020.js'
import { parse } from 'yaml'
import { apiary, newFolder, Running, root, written } from '../support/cli.js'
import { LoupePage } from '../support/loupe.js'

afterAll(() => Running.endAll())
describe('Loupe, with the apiary', () => {
  const folder = newFolder()
  let shown: LoupePage
  beforeAll(async () => {
    shown = await LoupePage.open([apiary], { cwd: folder })
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
    const call = shown.line('tools/call weigh_hive')
    await call.click()
    await page.getByText('"method": "tools/call"').waitFor()
    expect(await page.locator('pre', { hasText: '"tools/call"' }).textContent()).toContain('"hive": "ML-04"')
    await shown.line(/^.*result.*kg \d/).waitFor()
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
    const asked = shown.line(/GET \/hives\/ML-07.*200 · \d+ bytes/)
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

  test('lets a new user find a tool, fill in its form, send it, answer its question and save it as a case', async () => {
    const { page } = shown
    await page
      .getByRole('button', { name: /^record_harvest|^record_inspection/ })
      .first()
      .waitFor()
    await page.getByLabel('Find a part').fill('strength index')
    await page.keyboard.press('Enter')
    await page.getByRole('button', { name: 'Send', exact: true }).waitFor()
    await shown.part('tool record_inspection')
    await page
      .getByRole('button', { name: /^hive "/ })
      .first()
      .click()
    await page.getByRole('textbox', { name: 'storesKg' }).fill('')
    await page.getByRole('button', { name: 'Send unchecked' }).click()
    const card = page.getByRole('region', { name: 'The server asks' })
    await card.getByRole('textbox').last().fill('11')
    await card.getByRole('button', { name: 'Accept', exact: true }).click()
    await shown.result().getByText('nextInspection').waitFor()
    await page.getByRole('button', { name: 'Save as a case' }).click()
    await page.getByText('Saved as cases/record_inspection.case.yaml').waitFor()
    const saved = parse(readFileSync(join(folder, 'cases/record_inspection.case.yaml'), 'utf8'))
    const isCase = new Ajv2020({ strict: false }).compile(
      JSON.parse(readFileSync(join(root, 'schemas/case.schema.json'), 'utf8')),
    )
    expect(isCase(saved) || isCase.errors).toBe(true)
    expect(saved.steps[0]).toMatchObject({
      call: 'record_inspection',
      answers: [{ action: 'accept', content: { storesKg: 11 } }],
      expect: { structured: { hive: 'ML-04' } },
    })
    await page.getByRole('button', { name: 'Save as a case' }).click()
    await page.getByText('Saved as cases/record_inspection-2.case.yaml').waitFor()
    expect(shown.faults).toStrictEqual([])
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
    expect(await shown.end()).toBe(0)
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
    const loupe = await LoupePage.open([kit])
    const { page } = loupe
    await page.getByRole('button', { name: /^weigh_all/ }).click()
    await page.getByRole('button', { name: 'Send', exact: true }).click()
    await loupe.line('1 of 4 · ML-05').waitFor()
    await page.getByRole('button', { name: 'Cancel' }).click()
    await page.getByRole('heading', { name: /Cancelled/ }).waitFor()
    await loupe.line('cancelled').waitFor()
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
    const loupe = await LoupePage.open([kit])
    const { page } = loupe
    await page
      .getByRole('alert')
      .getByText(/not yet/)
      .waitFor()
    await loupe.line('it does not load: Error: not yet').first().waitFor()
    writeFileSync(kit.replace('late.kit.mjs', 'now'), '')
    await page.getByRole('button', { name: 'Connect', exact: true }).click()
    await page.getByRole('button', { name: /^late_tool/ }).waitFor()
    await loupe.end()
  })
})
