import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { defineKit } from 'jexo'
import { wrapFolder } from 'jexo/folder'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { passagesOf } from '../../../src/wrap/folder/passages.js'
import { newFolder } from '../../support/cli.js'

const folder = join(newFolder(), 'guide')
mkdirSync(folder)
const files: Record<string, string> = {
  'bundle.js': `var hives=[${Array.from({ length: 60_000 }, (_, at) => `"h${at}"`).join(',')}];function winterFeed(kg){return kg}`,
  'page.html': '<h1>Moving hives</h1><p>By night<br>only<table><tr><td>smoker</td><td>veil</td></tr></table>',
  'ja.md': '# 養蜂\n\n冬の餌は十月に与えます。巣箱の重さを量ります。\n',
  'zh.md': '# 蜜蜂\n\n冬季喂养在十月完成。\n',
  'feeding.md': '# Feeding\n\nColonies are fed with syrup before the winter.\n',
  'queens.md': '# Queens\n\nMarking a queen makes her easy to find.\n',
  'settings.md': '# Settings\n\nThe option winterFeedKg sets the amount; see hives/scale/calibration.\n',
}
for (const [name, text] of Object.entries(files)) writeFileSync(join(folder, name), text)
let link: Link
beforeAll(async () => {
  link = await connect(
    defineKit({ name: 'k', version: '1', about: 'x', parts: await wrapFolder(folder, { watch: false }) }),
  )
})
afterAll(() => link.close())

const search = async (query: string) =>
  ((await link.call('search_guide', { query })).structuredContent as { passages: { file: string; text: string }[] })
    .passages

test('no passage is longer than a page, also of a file with one line', async () => {
  const passages = passagesOf(files['bundle.js'] ?? '', 'plain')
  expect(Math.max(...passages.map(({ text }) => text.length))).toBeLessThanOrEqual(1800)
  expect(passages.map(({ text }) => text).join('')).toBe(files['bundle.js'])
  const found = await search('winterFeed')
  expect(JSON.stringify(found).length).toBeLessThan(20_000)
  expect(found.map(({ file }) => file)).toEqual(expect.arrayContaining(['bundle.js', 'settings.md']))
})

test('pieces of a page that stand apart are words apart', async () => {
  const [page] = await search('veil')
  expect(page).toMatchObject({
    file: 'page.html',
    text: expect.stringMatching(/Moving hives By night only smoker veil/),
  })
})

test.each([
  ['冬の餌', 'ja.md'],
  ['重さ', 'ja.md'],
  ['冬季喂养', 'zh.md'],
  ['how do I feed colonies in winter', 'feeding.md'],
  ['mark queens', 'queens.md'],
  ['feed kg', 'settings.md'],
  ['scale calibration', 'settings.md'],
])('%s is found in %s', async (query, file) => {
  expect((await search(query)).slice(0, 3).map((passage) => passage.file)).toContain(file)
})
