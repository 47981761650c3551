import { cpSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { connect } from 'jexo/link'
import { bin, Running, root, run } from '../support/cli.js'
import { exampleFolder, openPage, previewOf } from '../support/example.js'

afterAll(() => Running.endAll())

test('in the page: a kit without a server keeps its data over a reload, asks, and refuses', async () => {
  const { url } = await previewOf('in-the-page')
  const { page, faults } = await openPage(url)
  const answer = page.getByRole('status')
  const list = page.getByRole('region', { name: 'Sightings' })
  await list.getByText('None yet.').waitFor()
  await page.getByRole('button', { name: 'Call' }).click()
  await list.getByText('1: 2026-06-02, Orchard End, about 12,000 bees').waitFor()
  await page.getByLabel(/^bees/).fill('3')
  await page.getByRole('button', { name: 'Call' }).click()
  await answer.getByText(/bees/).waitFor()
  expect(await answer.getAttribute('class')).toBe('failed')
  await page.reload()
  await list.getByText('1: 2026-06-02').waitFor()
  await page.getByLabel('Tool').selectOption('count_swarms')
  await page.getByRole('button', { name: 'Call' }).click()
  await answer.getByText(/"bees": 12000/).waitFor()
  await page.getByLabel('Tool').selectOption('forget_swarm')
  await page.getByLabel(/^id/).fill('1')
  page.once('dialog', (dialog) => void dialog.accept())
  await page.getByRole('button', { name: 'Call' }).click()
  await list.getByText('None yet.').waitFor()
  await page.getByText('The messages of this session').click()
  await page.getByText(/"method":"elicitation\/create"/).waitFor()
  expect(faults).toStrictEqual([])
})

test('field notes: imported at startup, searched, read row by row, reviewed, and imported again without invalid notes', async () => {
  // In a sibling folder, so that its packages are found; with its own notebook.
  const folder = mkdtempSync(join(root, 'examples', '.field-notes-'))
  try {
    for (const name of ['notes', 'notes.kit.ts', 'book.ts', 'take-in.ts', 'queries.sql', 'package.json'])
      cpSync(join(exampleFolder('field-notes'), name), join(folder, name), { recursive: true })
    const server = new Running([bin, 'serve', join(folder, 'notes.kit.ts'), '--http', '0'])
    const [address] = await server.until(/http:\S+/)
    await server.until(/10 of 10, .* taken in/)
    const { url } = await previewOf('field-notes', { NOTES_URL: new URL(address).origin })
    const { page, faults } = await openPage(url)
    const passages = page.getByRole('region', { name: 'Passages' })
    const find = async (words: string) => {
      await page.getByLabel('Words to look for').fill(words)
      await page.getByRole('button', { name: 'Find' }).click()
    }
    await find('swarm cells')
    await passages.getByText('Two sealed swarm cells in ML-06.').waitFor()
    expect(await passages.getByRole('article').count()).toBe(2)
    await passages.getByRole('button', { name: 'The row of this note' }).first().click()
    await page.getByRole('region', { name: 'Note' }).getByText('"title": "Oilseed rape in flower"').waitFor()
    await page.getByLabel('Site of the review').selectOption('Quarry Field')
    await page.getByRole('button', { name: 'Fill season_review' }).click()
    await page.getByText(/Review the year 2025 at Quarry Field[\s\S]*2025-06-15: 83[\s\S]*ML-07 drops 19/).waitFor()
    await find('?!')
    await page.getByText('Give a word to look for, with letters or digits.').waitFor()

    writeFileSync(
      join(folder, 'notes/a.md'),
      '---\nsite: Marsh Lane\non: 2026-06-01\n---\n# Hornets\nA hornet at ML-02.\n',
    )
    writeFileSync(join(folder, 'notes/b.md'), 'no head')
    rmSync(join(folder, 'notes/2025-05-03-quarry-field.md'))
    await page.getByRole('button', { name: 'Reload the notes' }).click()
    await page
      .getByText('10 notes, 1 new or changed, 1 gone; left out b.md: it does not begin with --- and site and on')
      .waitFor()
    await find('hornets')
    await passages.getByText('A hornet at ML-02.').waitFor()
    expect(faults).toStrictEqual([])
  } finally {
    await Running.endAll()
    rmSync(folder, { recursive: true, force: true, maxRetries: 3 })
  }
})

test('orchard API: both applications pass their own tests, and offer tools on the same port', async () => {
  const folder = exampleFolder('orchard-api')
  const own = await run(process.execPath, ['--test', 'fastify/app.test.js', 'express/app.test.js'], {
    cwd: folder,
    env: { ...process.env, NODE_OPTIONS: '' },
  })
  expect(own).toMatchObject({ code: 0, stdout: expect.stringMatching(/# pass 6\n# fail 0/) })
  const server = new Running([join(folder, 'dist/server.js')], {
    env: { ...process.env, FASTIFY_PORT: '0', EXPRESS_PORT: '0' },
  })
  const [, fastify = '', express = ''] = await server.until(/Fastify: .* and (\S+)\nExpress: .* and (\S+)/)
  for (const [url, tools] of [
    [fastify, ['list_trees', 'get_tree', 'list_harvests', 'record_harvest']],
    [express, ['list_trees', 'get_tree', 'list_harvests']],
  ] as const) {
    const link = await connect(url)
    expect((await link.tools()).map(({ name }) => name)).toStrictEqual(tools)
    expect((await link.call('get_tree', { id: 'OE-04' })).structuredContent).toMatchObject({})
    const refused = await link.call('get_tree', { id: 'OE-99' })
    expect(refused).toMatchObject({
      isError: true,
      content: [{ text: expect.stringContaining('There is no tree OE-99.') }],
    })
    await link.close()
    expect(await (await fetch(new URL('/trees/OE-04', url))).json()).toStrictEqual({
      id: 'OE-04',
      variety: 'Bramling',
      planted: 2007,
    })
  }
  expect(await server.end('SIGTERM')).toBe(0)
})
