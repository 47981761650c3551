import { readFileSync, writeFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { join } from 'node:path'
import type { FrameLocator, Page } from 'playwright-core'
import { jexo, newFolder, Running, written } from '../support/cli.js'
import { exampleFolder, openPage } from '../support/example.js'
import { LoupePage } from '../support/loupe.js'

afterAll(() => Running.endAll())
const kit = join(exampleFolder('hive-visit'), 'hive-visit.kit.ts')
const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8')

/** The page of a tool within the two frames of its host. */
const pageIn = (page: Page): FrameLocator => page.frameLocator('iframe:visible').frameLocator('iframe')

/** The findings of axe for a page and all its frames. */
async function seriousFaults(page: Page, rules?: readonly string[]) {
  const found: string[] = []
  for (const frame of page.frames()) {
    await frame.evaluate(axe)
    found.push(
      ...(await frame.evaluate(async (rules) => {
        const { axe } = globalThis as unknown as {
          axe: {
            run: (
              options: object,
            ) => Promise<{ violations: { id: string; impact: string; nodes: { html: string }[] }[] }>
          }
        }
        const { violations } = await axe.run({ resultTypes: ['violations'], ...(rules && { runOnly: rules }) })
        return violations
          .filter(({ impact }) => impact === 'serious' || impact === 'critical')
          .map(({ id, nodes }) => `${id}: ${nodes[0]?.html}`)
      }, rules)),
    )
  }
  return found
}

describe('a view in Loupe', () => {
  let loupe: LoupePage
  beforeAll(async () => {
    loupe = await LoupePage.open([kit])
    await loupe.call('plan_hive_visit')
    await loupe.page.getByText('The page is connected.').waitFor()
  })
  afterAll(() => loupe.end())
  const view = () => pageIn(loupe.page)

  test('shows the result beside the answer, and its messages in a lane of the score', async () => {
    await view().getByRole('button', { name: 'ML-05 on the map' }).click()
    await view().getByRole('heading', { name: 'Visits to ML-05' }).waitFor()
    await view().getByRole('cell', { name: '2026-05-26' }).waitFor()
    const search = loupe.page.getByPlaceholder('Search messages')
    await search.fill('tool-result')
    await loupe.line(/tool-result/).waitFor()
    await search.fill('list_hive_visits')
    await loupe
      .line(/tools\/call list_hive_visits.*hive "ML-05"/)
      .first()
      .waitFor()
    await search.fill('')
    await loupe.page.getByText('Page', { exact: true }).waitFor()
    expect(await loupe.result().getByText('Matches its output schema').count()).toBe(1)
    // A message from another window is ignored.
    await loupe.page.evaluate(() => {
      const forged = {
        jsonrpc: '2.0',
        method: 'ui/notifications/tool-result',
        params: { content: [], structuredContent: { hives: [] } },
      }
      window.frames[0]?.frames[0]?.postMessage(forged, '*')
    })
    expect(await view().getByRole('button', { name: 'ML-05 on the map' }).count()).toBe(1)
  })

  test('calls a page-only tool, sets the context of the model, and posts to the conversation', async () => {
    await view().getByRole('button', { name: 'Review' }).click()
    await view().getByRole('button', { name: 'Record it' }).click()
    await view().getByText('The visit to ML-05 on 2026-06-02 is recorded.').waitFor()
    await view().getByRole('cell', { name: '2026-06-02' }).waitFor()
    await loupe.page
      .getByText(/The keeper recorded a visit to ML-05/)
      .first()
      .waitFor()
    await view().getByRole('button', { name: 'Ask when it is due again' }).click()
    await loupe.page.getByText('Messages of the page to the conversation (1)').waitFor()
  })

  test('follows theme, locale and display mode, and receives partial input and cancellation', async () => {
    const { page } = loupe
    const choose = async (label: string, option: string) => {
      await page.getByRole('combobox', { name: label }).click()
      await page.getByRole('option', { name: option, exact: true }).click()
    }
    await choose('Theme', 'dark')
    await view().locator('html[data-theme=dark]').waitFor()
    await choose('Locale', 'fr')
    await view().locator('html[lang=fr]').waitFor()
    await choose('Display', 'fullscreen')
    await view().locator('html[data-display-mode=fullscreen]').waitFor()
    expect(await seriousFaults(page)).toStrictEqual([])
    await page.getByRole('button', { name: 'Back to inline' }).click()
    await page.getByRole('button', { name: 'Host offers…' }).click()
    await page.getByRole('checkbox', { name: 'Calls tools' }).click()
    await page.keyboard.press('Escape')
    await view().getByRole('button', { name: 'ML-06 on the map' }).click()
    await view()
      .getByText(/does not let pages call tools/)
      .waitFor()
    await page.getByRole('button', { name: 'Cancel', exact: true }).click()
    await view().getByText('The call was cancelled: cancelled in Loupe.').waitFor()
    await choose('Theme', 'light')
    expect(await seriousFaults(page, ['color-contrast', 'link-in-text-block'])).toStrictEqual([])
    expect(loupe.faults).toStrictEqual([])
  })
})

test('Loupe marks blocked requests and script errors of a page, asks before links, and follows edits', async () => {
  const folder = newFolder()
  const page = (title: string) => `<!doctype html><html lang="en"><body><h1>${title}</h1><script type="module">
    import { openView } from 'jexo/view'
    const host = await openView()
    document.body.append(JSON.stringify(host.input ?? {}))
    host.on('input', (input) => document.body.append('for ' + input.hive))
    document.body.append(Object.assign(new Image(), { src: 'https://tiles.example/1.png' }))
    host.openLink('https://marsh.example/rules').catch((error) => document.body.append(error.message))
    setTimeout(() => { throw new Error('no such hive') }, 300)
  </script></body></html>`
  writeFileSync(join(folder, 'index.html'), page('First'))
  const file = join(folder, 'odd.kit.mjs')
  writeFileSync(
    file,
    `import { defineKit, tool, view } from 'jexo'
     const input = { type: 'object', properties: { hive: { type: 'string' } }, examples: [{ hive: 'ML-04' }] }
     const shown = view('ui://odd/page', { about: 'Odd.', page: new URL('./index.html', import.meta.url) })
     const silent = view('ui://odd/silent', { about: 'Silent.', page: '<p>I say nothing.</p>' })
     const weigh = tool('weigh_hive', { about: 'Weighs.', effect: 'read', input, view: shown, run: () => 'ok' })
     const still = tool('stay_silent', { about: 'Stays.', effect: 'read', view: silent, run: () => 'still' })
     export default defineKit({ name: 'odd', version: '1', parts: [weigh, still] })`,
  )
  const loupe = await LoupePage.open([file])
  await loupe.part('tool weigh_hive')
  await loupe.page.getByRole('button', { name: 'hive "ML-04"' }).click()
  await loupe.send()
  await pageIn(loupe.page).getByText('for ML-04').waitFor()
  await loupe.line(/blocked by the policy.*img-src does not allow https:\/\/tiles\.example/).waitFor()
  await loupe.line(/script error.*no such hive/).waitFor()
  await loupe.page.getByText('https://marsh.example/rules').first().waitFor()
  await loupe.page.getByRole('button', { name: "Don't open" }).click()
  await pageIn(loupe.page).getByText('the person did not open the link').waitFor()
  writeFileSync(join(folder, 'index.html'), page('Second'))
  await pageIn(loupe.page).getByRole('heading', { name: 'Second' }).waitFor()
  await pageIn(loupe.page).getByText('for ML-04').waitFor()
  writeFileSync(join(folder, 'index.html'), page('Third').replace('await openView()', 'await openView('))
  await loupe.page.getByText(/cannot be read.*The page below shows the previous version/).waitFor()
  await loupe.end()
})

test('the rehearsal room shows the page of a call, and its messages wait for the person', async () => {
  const room = new Running([join(exampleFolder('rehearsal-room'), 'dist/backend/main.js'), '--port', '0', kit])
  const [url] = await room.until(/http:\S+/)
  const { page, faults } = await openPage(url)
  await page.getByText('The model sees 2 tools.').waitFor()
  await page.getByText('pages only').waitFor()
  await page.getByLabel('Your message').fill('Plan a hive visit')
  await page.keyboard.press('Enter')
  await page.getByRole('button', { name: 'Approve once' }).click()
  const view = pageIn(page)
  await view
    .getByRole('button', { name: /^ML-07/ })
    .first()
    .click()
  await view.getByLabel('From').fill('2026-05-01')
  await view.getByRole('button', { name: 'Review' }).click()
  await view.getByRole('button', { name: 'Record it' }).click()
  await page
    .getByText(/the model hears from the page of plan_hive_visit: The keeper recorded a visit to ML-07/)
    .waitFor()
  await page.getByRole('article', { name: 'Call of record_hive_visit in the page' }).waitFor()
  await view.getByRole('button', { name: 'Ask when it is due again' }).click()
  await page.getByRole('button', { name: "Don't send it" }).click()
  await page.getByText('You did not send the message of the page of plan_hive_visit.').waitFor()
  await view.getByRole('button', { name: 'Ask when it is due again' }).click()
  await page.getByRole('button', { name: 'Send it', exact: true }).click()
  await page.getByText(/^from the page of plan_hive_visit:/).waitFor()
  await page.getByText('attached: context from the page of plan_hive_visit').waitFor()
  expect(await seriousFaults(page)).toStrictEqual([])
  expect(faults).toStrictEqual([])
  await page.close()
  expect(await room.end()).toBe(0)
})

test('a packed kit serves its page as built, and a host without views gets the result alone', async () => {
  const folder = newFolder()
  expect((await jexo('pack', kit, '--out', folder)).code).toBe(0)
  const packed = join(folder, 'hive-visit.mjs')
  const page = await jexo('read', packed, 'ui://hive-visit/choose')
  expect(page.stdout).toMatch(/Which hive do you visit\?/)
  expect(page.stdout).not.toMatch(/<script[^>]+src=/)
  const shown = await jexo('show', kit)
  expect(shown.stdout).toMatch(/plan_hive_visit +reads, shown by ui:\/\/hive-visit\/choose/)
  expect(shown.stdout).toMatch(/record_hive_visit +changes, for pages only/)
  expect(await jexo('vet', kit, '--strict')).toMatchObject({ code: 0 })
})

test('jexo new --view writes a page that works, also without a host', async () => {
  const folder = join(newFolder(), 'weeks')
  expect((await jexo('new', folder, '--view', '--no-install')).code).toBe(0)
  const { stdout } = await jexo('read', join(folder, 'weeks.kit.ts'), 'ui://weeks/calendar')
  const { page, faults } = await openPage(`file://${written('page.html', stdout)}`)
  await page.getByText('It was opened without a host and shows sample data.').waitFor()
  await page.getByRole('heading', { name: '7 days' }).waitFor()
  expect(faults).toStrictEqual([])
  await page.close()
  const loupe = await LoupePage.open([join(folder, 'weeks.kit.ts')])
  await loupe.part('tool days_between')
  await loupe.page.getByRole('button', { name: /from "2026-06-02"/ }).click()
  await loupe.send()
  await pageIn(loupe.page).getByRole('heading', { name: '7 days' }).waitFor()
  await pageIn(loupe.page).getByRole('button', { name: 'A week later' }).click()
  await pageIn(loupe.page).getByRole('heading', { name: '14 days' }).waitFor()
  await loupe.end()
})
