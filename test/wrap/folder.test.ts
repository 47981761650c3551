import { appendFileSync, mkdirSync, rmSync, symlinkSync, truncateSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { join } from 'node:path'
import { defineKit } from 'jexo'
import { httpEmbeddings, planFolder, type WrapFolderOptions, wrapFolder } from 'jexo/folder'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { PDFDocument, StandardFonts } from 'pdf-lib'
import type { Report } from '../../src/engine/running-options.js'
import { passagesOf } from '../../src/wrap/folder/passages.js'
import { WordIndex } from '../../src/wrap/search/word-index.js'
import { newFolder } from '../support/cli.js'

const links: Link[] = []
afterEach(async () => {
  for (const link of links.splice(0)) await link.close()
})

/** A folder with these files. */
function folderOf(files: Readonly<Record<string, string | Uint8Array>>): string {
  const folder = newFolder()
  for (const [path, content] of Object.entries(files)) put(folder, path, content)
  return folder
}
function put(folder: string, path: string, content: string | Uint8Array): void {
  mkdirSync(join(folder, path, '..'), { recursive: true })
  writeFileSync(join(folder, path), content)
}

async function linkTo(folder: string, options: WrapFolderOptions = {}, reports: Report[] = []): Promise<Link> {
  const parts = await wrapFolder(folder, { name: 'guide', ...options })
  const link = await connect(defineKit({ name: 'k', version: '1', parts }), {
    environment: {},
    report: (report: Report) => void reports.push(report),
  })
  links.push(link)
  return link
}

interface Passage {
  file: string
  heading: string
  fromLine: number
  toLine: number
  text: string
  uri: string
}
async function search(link: Link, query: string, more: object = {}): Promise<Passage[]> {
  const result = await link.call('search_guide', { query, ...more })
  return (result.structuredContent as { passages: Passage[] }).passages
}

const pages = {
  'feeding.md':
    '# Feeding\n\nIn autumn.\n\n## How much\n\nFour kilograms of sugar,\nno less.\n\n## When\n\nBefore the ivy ends.\n',
  'mites/count.md': '# Counting mites\n\nPut the board in for three days.\n\n```\n# no heading\n```\n',
  'notes.txt': 'The ivy was late.\n',
  'hives.csv': 'hive,site\nML-01,Marsh Lane\nML-02,Quarry Field\n',
  'setup.yaml': 'scale: true\n',
  'data.json': '{"a": 1}\n',
  'page.html':
    '<html>\n<head><style>ivy {}</style></head>\n<body>\n<h1>Robbing</h1>\n<p>Close the\nentrance &amp; wait.</p>\n<script>var wasps</script></body></html>\n',
  'bee.png': new Uint8Array([0x89, 0x50, 0x4e, 0x47, 0, 1, 2]),
}

async function pdfOf(...texts: string[]): Promise<Uint8Array> {
  const document = await PDFDocument.create()
  const font = await document.embedFont(StandardFonts.Helvetica)
  for (const text of texts) document.addPage().drawText(text, { x: 50, y: 700, font, size: 18 })
  return document.save()
}

test('files are resources with type, size and time; a template reads them', async () => {
  const link = await linkTo(folderOf(pages))
  const listed = await link.resources()
  expect(listed.map(({ uri, mimeType }) => [uri, mimeType])).toStrictEqual([
    ['guide://bee.png', 'image/png'],
    ['guide://data.json', 'application/json'],
    ['guide://feeding.md', 'text/markdown'],
    ['guide://hives.csv', 'text/csv'],
    ['guide://mites/count.md', 'text/markdown'],
    ['guide://notes.txt', 'text/plain'],
    ['guide://page.html', 'text/html'],
    ['guide://setup.yaml', 'application/yaml'],
  ])
  expect(listed[5]).toMatchObject({
    name: 'notes.txt',
    size: 18,
    annotations: { lastModified: expect.stringMatching(/^2\d{3}-/) },
  })
  expect((await link.read('guide://mites/count.md')).contents).toStrictEqual([
    { uri: 'guide://mites/count.md', mimeType: 'text/markdown', text: pages['mites/count.md'] },
  ])
  expect((await link.read('guide://bee.png')).contents).toStrictEqual([
    { uri: 'guide://bee.png', mimeType: 'image/png', blob: 'iVBORwABAg==' },
  ])
  const offered = await link.complete({ template: 'guide://{+path}' }, { name: 'path', value: 'mi' })
  expect(offered.values).toStrictEqual(['mites/count.md'])
})

test('file names that need escaping in URIs work', async () => {
  const names = ['with space.md', 'a%2Fb.md', 'ä ö/ü?.md', 'hash#tag.txt', '{braces}.txt']
  const link = await linkTo(folderOf(Object.fromEntries(names.map((name) => [name, `this is ${name}`]))))
  for (const { uri, name } of await link.resources())
    expect((await link.read(uri)).contents[0]?.text).toBe(`this is ${name}`)
})

describe('search', () => {
  test('returns passages with file, heading and lines, and links to the files', async () => {
    const link = await linkTo(folderOf(pages))
    const [best] = await search(link, 'how much sugar?')
    expect(best).toMatchObject({
      file: 'feeding.md',
      heading: 'Feeding › How much',
      fromLine: 5,
      toLine: 8,
      text: '## How much\n\nFour kilograms of sugar,\nno less.',
      uri: 'guide://feeding.md',
    })
    const { content } = await link.call('search_guide', { query: 'ivy' })
    expect(content.filter(({ type }) => type === 'resource_link')).toMatchObject([
      { uri: 'guide://notes.txt' },
      { uri: 'guide://feeding.md' },
    ])
  })

  test.each([
    ['entrance wait', 'page.html', 'Robbing', 4],
    ['quarry', 'hives.csv', 'hive,site', 1],
    ['counting', 'mites/count.md', 'Counting mites', 1],
    ['kilogramm', 'feeding.md', 'Feeding › How much', 5],
    ['suger', 'feeding.md', 'Feeding › How much', 5],
  ])('finds %j in %s', async (query, file, heading, fromLine) => {
    const [best] = await search(await linkTo(folderOf(pages)), query)
    expect(best).toMatchObject({ file, heading, fromLine })
  })

  test('ignores scripts, styles and other folders', async () => {
    const link = await linkTo(folderOf(pages))
    expect(await search(link, 'wasps')).toStrictEqual([])
    expect((await search(link, 'mites board', { within: 'mites/' })).map(({ file }) => file)).toStrictEqual([
      'mites/count.md',
    ])
    const nowhere = await link.call('search_guide', { query: 'mites', within: 'wasps/' })
    expect(nowhere).toMatchObject({
      isError: true,
      content: [{ text: 'There is no file whose path begins with "wasps/".' }],
    })
  })

  test('reads PDF pages', async () => {
    const link = await linkTo(
      folderOf({ 'winter.pdf': await pdfOf('Wrap the hives in October', 'Look for mould in February') }),
    )
    const [best] = await search(link, 'mould')
    expect(best).toMatchObject({ file: 'winter.pdf', heading: 'page 2', text: 'Look for mould in February' })
    const { contents } = await link.read('guide://winter.pdf')
    expect(contents.map(({ uri, mimeType }) => [uri, mimeType])).toStrictEqual([
      ['guide://winter.pdf', 'application/pdf'],
      ['guide://winter.pdf#text', 'text/plain'],
    ])
    expect(contents[1]?.text).toContain('Wrap the hives')
  })

  test('notices edited, new and removed files, and reports them', async () => {
    const folder = folderOf(pages)
    const link = await linkTo(folder)
    expect(await search(link, 'hornets')).toStrictEqual([])
    const updated = new Promise<string>((resolve) =>
      link.on('resourceUpdated', ({ uri }: { uri: string }) => resolve(uri)),
    )
    await link.subscribe('guide://notes.txt')
    await settled(folder, link)
    appendFileSync(join(folder, 'notes.txt'), 'Hornets came.\n')
    expect(await updated).toBe('guide://notes.txt')
    expect(await search(link, 'hornets')).toMatchObject([
      { file: 'notes.txt', text: 'The ivy was late.\nHornets came.' },
    ])
    const more = changed(link)
    put(folder, 'new/wasps.md', '# Wasps\n\nSet traps.\n')
    await more
    expect(await search(link, 'traps')).toMatchObject([{ file: 'new/wasps.md', heading: 'Wasps' }])
    const less = changed(link)
    rmSync(join(folder, 'feeding.md'))
    await less
    expect(await search(link, 'sugar')).toStrictEqual([])
    await expect(link.read('guide://feeding.md')).rejects.toMatchObject({ code: -32002 })
  })
})

test('an edited file replaces its old entry in the index', async () => {
  const folder = folderOf({ 'log.txt': `calm ${'x'.repeat(400)}` })
  const link = await linkTo(folder, { limits: { maxIndexedBytes: 700 } })
  expect(await search(link, 'calm')).toHaveLength(1)
  await settled(folder, link)
  for (const word of ['swarming', 'robbing', 'wintering']) {
    const told = new Promise<void>((resolve) => link.on('resourceUpdated', () => resolve()))
    await link.subscribe('guide://log.txt')
    put(folder, 'log.txt', `${word} ${'x'.repeat(400)}`)
    await told
    expect(await search(link, word)).toHaveLength(1)
  }
})

const changed = (link: Link) => new Promise<void>((resolve) => link.on('resourcesChanged', () => resolve()))

/** The watcher starts a moment after the folder is opened: waits until it reports a file. */
async function settled(folder: string, link: Link): Promise<void> {
  const heard = changed(link)
  const timer = setInterval(() => put(folder, `probe-${Date.now()}.txt`, 'x'), 100)
  await heard
  clearInterval(timer)
}

describe('confinement', () => {
  const outside = folderOf({ 'secret.txt': 'the secret' })
  const folder = folderOf({
    ...pages,
    '.env': 'TOKEN=secret',
    '.git/config': 'secret',
    'drafts/x.md': 'secret draft',
    '.gitignore': 'drafts/\n*.log\n',
    'a.log': 'secret log',
  })
  symlinkSync(join(outside, 'secret.txt'), join(folder, 'link.txt'))
  symlinkSync(outside, join(folder, 'linked'))
  symlinkSync(join(folder, '.env'), join(folder, 'env.txt'))

  test.each([
    '../secret.txt',
    '..%2Fsecret.txt',
    '%2e%2e/secret.txt',
    'mites/../../secret.txt',
    'mites/../notes.txt',
    '/etc/passwd',
    '//etc/passwd',
    '%2Fetc%2Fpasswd',
    'link.txt',
    'linked/secret.txt',
    'env.txt',
    '.env',
    '.git/config',
    'drafts/x.md',
    'a.log',
    'notes.txt%00.md',
    'mites%5C..%5C..%5Csecret.txt',
    'mites',
    './notes.txt',
    'notes.txt/',
  ])('%s is not found', async (path) => {
    const link = await linkTo(folder, { watch: false })
    const failure = await link.read(`guide://${path}`).catch((error: { code: number; message: string }) => error)
    expect(failure).toMatchObject({ code: -32002 })
    expect(JSON.stringify(failure)).not.toMatch(/secret[^.]|root:/)
  })

  test('applies to the list and the search as well', async () => {
    const link = await linkTo(folder, { watch: false })
    expect(JSON.stringify(await link.resources())).not.toMatch(/link|env|drafts|\.log|\.git/)
    expect(await search(link, 'secret')).toStrictEqual([])
  })

  test('can be widened and narrowed by rules', async () => {
    const hidden = await linkTo(folder, { watch: false, hidden: true })
    expect((await hidden.read('guide://.env')).contents[0]?.text).toBe('TOKEN=secret')
    const few = await linkTo(folder, { watch: false, only: ['*.md'], except: ['mites/'] })
    expect((await few.resources()).map(({ name }) => name)).toStrictEqual(['feeding.md'])
  })
})

describe('odd files', () => {
  test('of 2 GB are listed, and refused in one sentence', async () => {
    const folder = folderOf(pages)
    writeFileSync(join(folder, 'big.txt'), '')
    truncateSync(join(folder, 'big.txt'), 2_147_483_648)
    const reports: Report[] = []
    const link = await linkTo(folder, { watch: false }, reports)
    expect((await link.resources()).find(({ name }) => name === 'big.txt')).toMatchObject({ size: 2_147_483_648 })
    await expect(link.read('guide://big.txt')).rejects.toThrow('big.txt has 2.1 GB, and the limit is 10 MB')
    expect(await search(link, 'sugar')).toHaveLength(1)
    expect(reports.map(({ text }) => text)).toStrictEqual([
      expect.stringMatching(/big.txt is larger than 10000000 bytes/),
      'not searched: big.txt',
    ])
  })

  test('in another encoding are decoded as well as possible', async () => {
    const utf16 = Buffer.concat([Buffer.from([0xff, 0xfe]), Buffer.from('Ünder the lime', 'utf16le')])
    const link = await linkTo(
      folderOf({
        'latin.txt': Buffer.from('K\xf6nigin', 'latin1'),
        'wide.txt': utf16,
        'none.txt': Buffer.from([1, 0, 2]),
      }),
    )
    expect((await link.read('guide://latin.txt')).contents).toMatchObject([
      { text: 'Königin' },
      { uri: 'guide://latin.txt#note', text: expect.stringMatching(/not UTF-8\. It was read as \S+,/) },
    ])
    expect((await link.read('guide://wide.txt')).contents).toMatchObject([{ text: 'Ünder the lime' }])
    expect((await link.read('guide://none.txt')).contents).toMatchObject([
      { mimeType: 'application/octet-stream', blob: 'AQAC' },
    ])
    expect(await search(link, 'lime')).toMatchObject([{ file: 'wide.txt' }])
  })

  test('that change during a read are returned whole, or not at all', async () => {
    const folder = folderOf({ 'log.txt': 'x'.repeat(2_000_000) })
    const link = await linkTo(folder, { watch: false })
    const timer = setInterval(() => appendFileSync(join(folder, 'log.txt'), 'y'.repeat(1000)), 0)
    const read = await link.read('guide://log.txt').then(
      ({ contents }) => String(contents[0]?.text),
      (error: Error) => error.message,
    )
    clearInterval(timer)
    expect(read).toMatch(/^(x{2000000}(y{1000})*|.*log\.txt is being written; try again in a moment\.)$/)
  })

  test('that are broken PDFs do not affect the others', async () => {
    const link = await linkTo(folderOf({ ...pages, 'broken.pdf': '%PDF-1.7 and then nothing' }), { watch: false })
    expect(await search(link, 'sugar')).toHaveLength(1)
    expect((await link.read('guide://broken.pdf')).contents[1]?.text).toMatch(/Its text cannot be read/)
  })
})

describe('search by meaning', () => {
  const topics = [/sugar|feed|syrup|hungry/i, /mite|varroa|parasite/i, /ivy|flower/i]
  const vectorOf = (text: string) => topics.map((topic) => (topic.test(text) ? 1 : 0.01))

  test.each(['vectors', 'sqlite'])(
    'finds what has no word in common, by an endpoint, and asks for each text once: .%s',
    async (ending) => {
      const asked: string[] = []
      const server = createServer(async (request, response) => {
        const chunks: Buffer[] = []
        for await (const chunk of request) chunks.push(chunk as Buffer)
        const { input, model } = JSON.parse(Buffer.concat(chunks).toString()) as { input: string[]; model: string }
        asked.push(...input)
        const isKnown = request.headers.authorization === 'Bearer key-0815' && model === 'small'
        response.writeHead(isKnown ? 200 : 401, { 'content-type': 'application/json' })
        response.end(JSON.stringify({ data: input.map((text, index) => ({ index, embedding: vectorOf(text) })) }))
      })
      await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
      const { port } = server.address() as { port: number }
      const url = `http://127.0.0.1:${port}/v1/embeddings`
      const vectors = join(newFolder(), `guide.${ending}`)
      const folder = folderOf(pages)
      const embed = httpEmbeddings(url, { model: 'small', key: 'key-0815' })
      const link = await linkTo(folder, { embed, vectors, watch: false })
      expect((await search(link, 'parasites'))[0]).toMatchObject({ file: 'mites/count.md' })
      const first = asked.length
      const again = await linkTo(folder, { embed, vectors, watch: false })
      expect((await search(again, 'hungry colonies'))[0]).toMatchObject({ file: 'feeding.md' })
      expect(asked.slice(first)).toStrictEqual(['hungry colonies'])
      const reports: Report[] = []
      const refused = await linkTo(folder, { embed: httpEmbeddings(url, { key: 'wrong' }), watch: false }, reports)
      const result = await refused.call('search_guide', { query: 'sugar' })
      expect(result.structuredContent).toMatchObject({
        passages: [{ file: 'feeding.md' }],
        note: expect.stringMatching(/Searched by words only, because there are no vectors: .*status 401/),
      })
      expect(JSON.stringify([result, reports])).not.toContain('wrong')
      await new Promise((resolve) => server.close(resolve))
    },
  )
})

test('the plan counts the files, and lists those too large to search', async () => {
  const folder = folderOf({ ...pages, 'huge.md': 'x'.repeat(3000) })
  const plan = await planFolder(folder, { limits: { maxIndexedFileBytes: 2000 } })
  expect(plan).toMatchObject({ kind: 'folder', files: 9, tooLarge: ['huge.md'] })
  expect(plan.types[0]).toMatchObject({ mimeType: 'text/markdown', files: 3, isSearched: true })
  await expect(wrapFolder(join(folder, 'nowhere'))).rejects.toThrow(/there is no such file/)
  await expect(wrapFolder(join(folder, 'notes.txt'))).rejects.toThrow(/it is not a folder/)
  await expect(wrapFolder('guide')).rejects.toThrow(/new URL\("\.\/guide", import\.meta\.url\)/)
})

test('long sections are split at paragraphs, with correct line numbers', () => {
  const paragraph = `${'word '.repeat(60).trim()}\n`.repeat(3)
  const text = `# Long\n\n${Array.from({ length: 6 }, () => paragraph).join('\n')}`
  const passages = passagesOf(text, 'markdown')
  expect(passages.length).toBeGreaterThan(2)
  for (const { fromLine, toLine, text: shown } of passages) {
    expect(
      text
        .split('\n')
        .slice(fromLine - 1, toLine)
        .join('\n'),
    ).toBe(shown)
    expect(shown.length).toBeLessThan(2400)
  }
  expect(
    passages
      .map(({ text: shown }) => shown)
      .join('')
      .replace(/\s/g, ''),
  ).toBe(text.replace(/\s/g, ''))
})

test('an index does not grow with files that were removed', () => {
  const index = new WordIndex<string>()
  for (let round = 0; round < 40; round++)
    for (let at = 0; at < 100; at++)
      index.add({ key: `k${at}`, text: `round${round + 100} word${at} honey`, title: '' })
  expect(index.size).toBe(100)
  expect(index.find('round103', 5)).toStrictEqual([])
  expect(index.find('round139', 500)).toHaveLength(100)
  expect(index.find('word7 honey', 3)[0]?.key).toBe('k7')
  for (let at = 0; at < 100; at++) index.remove(`k${at}`)
  expect(index.find('honey', 5)).toStrictEqual([])
})
