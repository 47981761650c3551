import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { sharedBrowser } from '../support/browser.js'
import { root } from '../support/cli.js'
import { LoupePage, oddServer } from '../support/loupe.js'

const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8')
let first: LoupePage
beforeAll(async () => {
  first = await LoupePage.open([oddServer])
})
afterAll(() => first.end())

/** Rules whose result depends on colours or on the size of the window; the others are checked once. */
const rulesOfLooks = ['color-contrast', 'link-in-text-block', 'scrollable-region-focusable']

/** Serious faults for people who cannot see or cannot use a mouse. */
async function faultsIn(page: LoupePage['page'], rules?: readonly string[]): Promise<string[]> {
  // Through the debugger: the page's own policy blocks injected scripts.
  if (!(await page.evaluate(() => 'axe' in globalThis))) await page.evaluate(axe)
  return page.evaluate(async (rules) => {
    const found = await (
      globalThis as never as {
        axe: {
          run: (
            options: object,
          ) => Promise<{ violations: { id: string; impact: string; nodes: { html: string }[] }[] }>
        }
      }
    ).axe.run({ resultTypes: ['violations'], ...(rules && { runOnly: rules }) })
    return found.violations
      .filter(({ impact }) => impact === 'serious' || impact === 'critical')
      .map(({ id, nodes }) => `${id}: ${nodes.map(({ html }) => html.slice(0, 160)).join(' | ')}`)
  }, rules)
}

test('the page has no serious accessibility fault in any state, and fits the window, dark and light', async () => {
  const { page } = first
  const looks = [
    ['dark', 1280, undefined],
    ['light', 1024, rulesOfLooks],
  ] as const
  const faults: string[] = []
  const check = async (state: string) => {
    for (const [colorScheme, width, rules] of looks) {
      await page.emulateMedia({ colorScheme })
      await page.setViewportSize({ width, height: 800 })
      await page.evaluate(async () => {
        const transitions = document.getAnimations().filter((one) => one instanceof CSSTransition)
        await Promise.allSettled(transitions.map(({ finished }) => finished))
      })
      for (const fault of await faultsIn(page, rules)) faults.push(`${state}, ${colorScheme}: ${fault}`)
      const isWithin = await page.evaluate(() => document.documentElement.scrollWidth <= innerWidth)
      if (!isWithin) faults.push(`${state}, ${colorScheme}: wider than the window`)
    }
    await page.emulateMedia({ colorScheme: 'dark' })
    await page.setViewportSize({ width: 1280, height: 800 })
  }
  await page.getByRole('button', { name: /^mumble/ }).waitFor()
  await check('catalogue')
  await first.part('tool fill_form')
  await page.getByRole('button', { name: /^name "Fern"/ }).click()
  await check('form')
  await page.getByRole('button', { name: 'As JSON' }).click()
  await page.locator('.cm-content').waitFor()
  await check('editor')
  await first.call('shapes')
  await page.getByRole('heading', { name: 'Robbing' }).waitFor()
  await check('answer')
  await first.call('ask_person')
  await page.getByRole('textbox', { name: 'Frames' }).waitFor()
  await check('question')
  await page.getByRole('button', { name: 'Decline', exact: true }).click()
  await first.call('ask_model')
  await page.getByLabel('Reply for the model').waitFor()
  await check('model')
  await page.getByRole('button', { name: 'Refuse', exact: true }).click()
  await first.line('tools/call ask_model').last().click()
  await check('opened')
  await page.getByRole('button', { name: /^open odd/ }).click()
  await page.getByRole('heading', { name: 'Capabilities of both sides' }).waitFor()
  await check('target')
  await page.getByRole('button', { name: '+ Add' }).click()
  await page.getByRole('heading', { name: 'Choose what to inspect' }).waitFor()
  await check('adding')
  await page.keyboard.press('Control+k')
  await page.getByRole('listbox').waitFor()
  await check('palette')
  expect(faults).toStrictEqual([])
  expect(first.faults).toStrictEqual([])
})

test('the page loads less than 400 kB at first, all from its own origin', async () => {
  const page = await (await sharedBrowser()).newPage()
  const asked: string[] = []
  page.on('request', (request) => asked.push(request.url()))
  await page.goto(first.url)
  await page.getByRole('button', { name: /^mumble/ }).waitFor()
  const { origin } = new URL(first.url)
  expect(asked.filter((url) => !url.startsWith(origin))).toStrictEqual([])
  const files = asked.map((url) => new URL(url).pathname).filter((path) => path.startsWith('/assets/'))
  const bytes = files.map((path) => gzipSync(readFileSync(join(root, 'dist/loupe/page', path))).length)
  expect(bytes.reduce((sum, size) => sum + size, 0)).toBeLessThan(400_000)
  await page.close()
})
