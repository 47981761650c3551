import type { AddressInfo } from 'node:net'
import { createServer } from 'node:net'
import type { HttpService } from 'jexo/node'
import { serveApiary } from '../support/apiary.js'
import { openPage, previewOf } from '../support/example.js'

const freePort = () =>
  new Promise<number>((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as AddressInfo
      server.close(() => resolve(port))
    })
  })

let service: HttpService
afterAll(() => service.close())

test('the board shows new readings, records an inspection with a form of the server, and survives its restart', async () => {
  const port = await freePort()
  service = await serveApiary(port)
  const { url } = await previewOf('hive-board', { HIVES_URL: `http://127.0.0.1:${port}` })
  const { page, faults } = await openPage(url)
  const status = page.getByRole('status').first()
  await status.getByText('live', { exact: true }).waitFor()
  const hive = page.getByRole('region', { name: 'Hive ML-04' })
  expect(await page.getByRole('region', { name: /^Hive ML-/ }).count()).toBe(12)
  // Subscribed: a second reading arrives by itself, and with it the change since the first.
  await hive.getByText(/kg since 06:00:00/).waitFor()
  expect(await hive.locator('.recharts-line-curve').count()).toBe(1)

  await hive.getByRole('button', { name: 'Record an inspection' }).click()
  await page.getByRole('button', { name: 'Continue' }).click()
  for (const [field, value] of [
    ['framesOfBrood', '6'],
    ['framesOfBees', '9'],
    ['storesKg', '12'],
  ] as const)
    await page.getByLabel(field).fill(value)
  await page.getByRole('button', { name: 'Record', exact: true }).click()
  await page.getByText(/^Recorded: .*"nextInspection"/).waitFor()
  await page.getByRole('button', { name: 'Close' }).click()

  await service.close()
  await status.getByText(/connection lost; reconnecting/).waitFor()
  expect(await hive.getByRole('button').isDisabled()).toBe(true)
  service = await serveApiary(port)
  await status.getByText('live again, after 1 loss').waitFor()
  const before = await hive.locator('.kg').textContent()
  await page.waitForFunction(
    ([label, text]) => document.querySelector(`[aria-label="${label}"] .kg`)?.textContent !== text,
    ['Hive ML-04', before] as const,
  )
  expect(faults).toStrictEqual([])
})
