import { mkdirSync, renameSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { defineKit } from 'jexo'
import { wrapFolder } from 'jexo/folder'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { passagesOf } from '../../../src/wrap/folder/passages.js'
import { newFolder } from '../../support/cli.js'
import { notes, pages, questions } from './questions.js'

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
/** Texts in different encodings, as bytes. */
const encoded: [string, Buffer, string][] = [
  [
    'latin.txt',
    Buffer.from('Bienenst\xf6cke werden im M\xe4rz gereinigt, und die K\xf6nigin wird gez\xe4hlt.', 'latin1'),
    'Königin',
  ],
  [
    'sjis.txt',
    Buffer.from(
      '96a8964982cd8f7482c982c882e982c6918394a082a982e794f282d197a782bf814189d482cc96a882f08f5782df82dc82b78142937e82cc914f82c9896182f0975e82a68141918394a082cc8f6482b382f097ca82e982b182c682aa91e590d882c582b78142977b964989c682cd96888f5482cc93fa82c9918394a082f092b282d782dc82b78142',
      'hex',
    ),
    '',
  ],
  ['utf16.txt', Buffer.from('\ufeffThe smoker is behind the shed.', 'utf16le'), 'smoker'],
]
for (const [name, bytes] of encoded) writeFileSync(join(folder, name), bytes)
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

test('no passage is longer than a page, even in a file with one line', async () => {
  const passages = passagesOf(files['bundle.js'] ?? '', 'plain')
  expect(Math.max(...passages.map(({ text }) => text.length))).toBeLessThanOrEqual(1800)
  expect(passages.map(({ text }) => text).join('')).toBe(files['bundle.js'])
  const found = await search('winterFeed')
  expect(JSON.stringify(found).length).toBeLessThan(20_000)
  expect(found.map(({ file }) => file)).toStrictEqual(expect.arrayContaining(['bundle.js', 'settings.md']))
})

test('separate text pieces of a PDF page are separate words', async () => {
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

test('texts in other encodings are read and found', async () => {
  const read = async (name: string) => (await link.read(`guide://${name}`)).contents[0]?.text ?? ''
  expect(await read('latin.txt')).toBe('Bienenstöcke werden im März gereinigt, und die Königin wird gezählt.')
  expect(await read('utf16.txt')).toBe('The smoker is behind the shed.')
  expect(await read('sjis.txt')).toBe(
    '蜜蜂は春になると巣箱から飛び立ち、花の蜜を集めます。冬の前に餌を与え、巣箱の重さを量ることが大切です。養蜂家は毎週の日に巣箱を調べます。',
  )
  expect((await search('Königin'))[0]).toMatchObject({ file: 'latin.txt' })
})

test('a folder that is replaced by another is followed', async () => {
  const place = join(newFolder(), 'notes')
  mkdirSync(place)
  writeFileSync(join(place, 'old.md'), 'The old smoker.')
  const followed = await connect(
    defineKit({ name: 'k', version: '1', about: 'x', parts: await wrapFolder(place, { name: 'notes' }) }),
  )
  const names = async () => (await followed.resources()).map(({ uri }) => uri)
  expect(await names()).toContain('notes://old.md')
  mkdirSync(`${place}-next`)
  writeFileSync(join(`${place}-next`, 'new.md'), 'The new veil.')
  renameSync(place, `${place}-former`)
  renameSync(`${place}-next`, place)
  const until = Date.now() + 15_000
  const become = async (expected: string[]) => {
    while (String(await names()) !== String(expected) && Date.now() < until)
      await new Promise((done) => setTimeout(done, 100))
    expect(await names()).toStrictEqual(expected)
  }
  await become(['notes://new.md'])
  writeFileSync(join(place, 'later.md'), 'Later.')
  await become(['notes://later.md', 'notes://new.md'])
  await followed.close()
})

test('a question in other words than the page finds it among five hundred files', async () => {
  const place = join(newFolder(), 'handbook')
  const all = { ...pages, ...notes(500 - Object.keys(pages).length) }
  for (const [name, text] of Object.entries(all)) {
    mkdirSync(dirname(join(place, name)), { recursive: true })
    writeFileSync(join(place, name), text)
  }
  const handbook = await connect(
    defineKit({ name: 'k', version: '1', about: 'x', parts: await wrapFolder(place, { watch: false }) }),
  )
  const missed: string[] = []
  for (const [query, file] of questions) {
    const { passages } = (await handbook.call('search_handbook', { query, most: 3 })).structuredContent as {
      passages: { file: string }[]
    }
    if (!passages.some((passage) => passage.file === file)) missed.push(query)
  }
  await handbook.close()
  // At least 85 of a hundred.
  const isGood = missed.length <= questions.length * 0.15
  expect({ missed, isGood }).toStrictEqual({ missed, isGood: true })
})
