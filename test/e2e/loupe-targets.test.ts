import { spawnSync } from 'node:child_process'
import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { bin, hives, newFolder, Running, root, run, written } from '../support/cli.js'
import { LoupePage, oddServer } from '../support/loupe.js'

afterAll(() => Running.endAll())
const kitText = (about: string, more = '') => `import { defineKit, tool } from 'jexo'
  export default defineKit({ name: 'garden', version: '1', parts: [
    tool('count_flowers', { about: '${about}', effect: 'read', run: () => 'seven' }), ${more}
  ] })`

test('a target added in the page or by a request starts only after confirmation, which shows its command', async () => {
  const kit = written('garden.kit.mjs', kitText('Counts the flowers.'))
  const folder = newFolder()
  const config = join(folder, 'host.json')
  writeFileSync(
    config,
    JSON.stringify({
      mcpServers: { odd_one: { command: process.execPath, args: [join(root, 'test/support/odd-server.mjs')] } },
    }),
  )
  const served = new Running([bin, 'serve', kit, '--http', '0'], {
    env: { ...process.env, JEXO_TOKEN: 'let-me-in' } as never,
  })
  const [url] = await served.until(/http:\S+/)
  const loupe = await LoupePage.open([])
  const { page } = loupe
  const add = page.getByRole('complementary', { name: 'Add a target' })
  const confirm = page.getByRole('region', { name: 'Confirm the command' })
  const begin = async (kind: string) => {
    await page.goto(`${new URL(loupe.url).origin}/#/add`)
    await add.getByText(kind, { exact: true }).click()
  }

  await add.getByLabel('Kit file').last().fill(kit)
  await add.getByLabel('Environment').fill('SITE=Quarry Field')
  await add.getByRole('button', { name: 'Add', exact: true }).click()
  await confirm.getByText(/serve .*garden\.kit\.mjs/).waitFor()
  await confirm.getByText(/with SITE/).waitFor()
  expect(await loupe.line('connecting').count()).toBe(0)
  await confirm.getByRole('button', { name: 'Start it' }).click()
  await page.getByRole('button', { name: /^count_flowers/ }).waitFor()

  await begin('URL')
  await add.getByLabel('URL').last().fill(url)
  await add.getByRole('button', { name: 'Add', exact: true }).click()
  await page
    .getByRole('alert')
    .getByText(/HTTP 401/)
    .waitFor()
  await begin('URL')
  await add.getByLabel('URL').last().fill(url)
  await add.getByLabel('Headers').fill('Authorization: Bearer let-me-in')
  await add.getByRole('button', { name: 'Add', exact: true }).click()
  await page
    .getByRole('button', { name: /^count_flowers.*garden: / })
    .nth(1)
    .waitFor()

  await begin("Host's file")
  await add.getByLabel('Configuration file of a host').fill(config)
  await add.getByRole('combobox', { name: 'Entry' }).click()
  await page.getByRole('option', { name: 'odd_one' }).click()
  await add.getByRole('button', { name: 'Add', exact: true }).click()
  await confirm.getByText(/odd-server\.mjs/).waitFor()
  await confirm.getByRole('button', { name: 'Cancel' }).click()
  expect(await page.getByRole('button', { name: /odd/ }).count()).toBe(0)

  await begin('Kit file')
  await add.getByLabel('Kit file').last().fill('/no/such/kit')
  await add.getByRole('button', { name: 'Add', exact: true }).click()
  await add
    .getByRole('alert')
    .getByText(/no\/such\/kit/)
    .waitFor()

  await page.goto(`${new URL(loupe.url).origin}/#/target/t2`)
  await page.getByRole('button', { name: 'Remove' }).click()
  await page.getByRole('alert').waitFor({ state: 'detached' })
  await page.getByRole('combobox', { name: 'Target' }).waitFor()
  await served.end()

  const { origin, searchParams } = new URL(loupe.url)
  const mark = join(newFolder(), 'started')
  const text = `exec:${process.execPath} -e "require('fs').writeFileSync('${mark}','')"`
  const ask = (headers: Record<string, string>, body: object) =>
    fetch(`${origin}/api/targets`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', ...headers },
      body: JSON.stringify(body),
    })
  expect((await ask({}, { text, confirmed: true })).status).toBe(401)
  const told = await ask({ 'x-jexo-token': String(searchParams.get('token')) }, { text })
  expect(await told.json()).toMatchObject({ starts: { command: process.execPath } })
  expect(() => readFileSync(mark)).toThrow()
  await loupe.end()
})

test('an edit of a kit updates the catalogue, which shows the changes', async () => {
  const kit = written('garden.kit.mjs', kitText('Counts the flowers.'))
  const loupe = await LoupePage.open([kit])
  const { page } = loupe
  await page.getByRole('button', { name: /^count_flowers/ }).waitFor()
  writeFileSync(
    kit,
    kitText('Counts all flowers.', "tool('cut_grass', { about: 'Cuts it.', effect: 'change', run: () => 1 }),"),
  )
  await page.getByRole('button', { name: /^cut_grass ?new/ }).waitFor()
  await page.getByRole('button', { name: /^count_flowers ?changed.*Counts all flowers/ }).waitFor()
  await loupe.line(/catalogue changed: /).waitFor()
  // After a reconnect, later changes are compared with the current parts.
  await page.getByRole('button', { name: 'Restart', exact: true }).click()
  await page.getByRole('button', { name: /^cut_grass(?! ?new)/ }).waitFor()
  await loupe.end()
})

test('everything can be reached with the keyboard alone, and addresses lead to parts and messages', async () => {
  const loupe = await LoupePage.open([oddServer])
  const { page } = loupe
  await page.getByRole('button', { name: /^mumble/ }).waitFor()
  await page.keyboard.press('Control+k')
  await page.getByRole('combobox', { name: 'Find anything' }).fill('ask')
  await page.keyboard.press('ArrowDown')
  await page.keyboard.press('ArrowUp')
  await page.keyboard.press('Enter')
  await page.getByRole('heading', { name: 'ask_person' }).waitFor()
  expect(page.url()).toContain('#/part/t1%20tool%20ask_person')
  await page.keyboard.press('Escape')
  await page.locator('[aria-label="Find a part"]:focus').waitFor()
  await page.keyboard.type('mumb')
  await page.keyboard.press('Enter')
  await page.getByRole('heading', { name: 'mumble' }).waitFor()
  await page.getByRole('button', { name: 'Send', exact: true }).waitFor()
  await page.keyboard.press('Control+Enter')
  await loupe.result().getByText('mumbled').waitFor()
  const sequence = await page.locator('.line', { hasText: 'tools/call mumble' }).getAttribute('data-sequence')
  await page.goto(`${new URL(loupe.url).origin}/#/message/${sequence}`)
  await page.locator('pre', { hasText: '"mumble"' }).waitFor()
  // The address of a part works in a new page as well.
  const other = await LoupePage.at(loupe.loupe, `${loupe.url}#/part/t1%20tool%20wrong`)
  await other.page.getByRole('heading', { name: 'wrong' }).waitFor()
  await other.page.close()
  await loupe.end()
})

test('HTTP headers are shown without credentials, and an answer beside the previous one', async () => {
  const served = new Running([bin, 'serve', hives, '--http', '0'], {
    env: { ...process.env, JEXO_TOKEN: 'let-me-in' } as never,
  })
  const [url] = await served.until(/http:\S+/)
  const loupe = await LoupePage.open([url, '--header', 'Authorization: Bearer let-me-in'])
  const { page } = loupe
  await loupe.part('tool weigh_hive')
  await page.getByRole('button', { name: 'hive "ML-04"' }).click()
  await loupe.send()
  await page.getByText('✓ Matches its output schema').waitFor()
  await loupe.line('tools/call weigh_hive').click()
  await page.getByRole('button', { name: 'HTTP headers' }).click()
  const headers = page.getByRole('region', { name: 'HTTP headers' })
  await headers.getByText('Bearer ••••').waitFor()
  await headers.getByText(/^HTTP 200 after/).waitFor()
  expect(await headers.textContent()).toMatch(/mcp-protocol-version2025-11-25/)
  await page.getByRole('button', { name: 'Repeat' }).click()
  await loupe
    .line(/result.*kg/)
    .nth(1)
    .click()
  await page.getByRole('button', { name: 'Compared with the previous result' }).click()
  await page
    .getByText(/Identical to the previous result|^[+−] /)
    .first()
    .waitFor()
  await page.getByRole('button', { name: /^open Hives/ }).click()
  await page.getByText(/^[0-9a-f-]{6}••••$/).waitFor()
  await served.end()
  await loupe.end()
})

test('a call is copied as a command, a shell script, a program and a case, and each repeats it', async () => {
  const served = new Running([bin, 'serve', hives, '--http', '0'])
  const [url] = await served.until(/http:\S+/)
  const loupe = await LoupePage.open([url])
  const { page } = loupe
  await loupe.part('tool winter_feed')
  await page.getByRole('textbox', { name: 'storesKg' }).fill('9')
  await page.getByRole('textbox', { name: 'framesOfBees' }).fill('8')
  await loupe.send()
  await loupe.result().getByRole('button', { name: 'Raw' }).click()
  const answer = JSON.parse(String(await loupe.result().locator('pre').textContent()))
  const copied = async (name: string, said: string) => {
    await page.getByRole('button', { name: 'Copy as' }).click()
    await page.getByRole('menuitem', { name }).click()
    await page
      .getByRole('status')
      .getByText(new RegExp(`^${said}(, to be| is) copied`))
      .waitFor()
    return page.getByLabel('Copied text').inputValue()
  }
  const cli = await copied('Command line', 'The command')
  expect(cli).toBe(`jexo call ${url} winter_feed storesKg=9 framesOfBees=8`)
  const byCli = await run(process.execPath, [bin, ...cli.split(' ').slice(1), '--raw'])
  expect(JSON.parse(byCli.stdout)).toStrictEqual(answer)
  const shell = await copied('curl or shell', 'The shell script')
  const byCurl = spawnSync('bash', ['-c', shell], { encoding: 'utf8' })
  expect(JSON.parse(byCurl.stdout)).toMatchObject({ id: 2, result: answer })
  const program = await copied('TypeScript', 'The program')
  expect(program).toContain('link.call("winter_feed"')
  const file = written('again.mjs', program.replace("'jexo/node'", JSON.stringify(join(root, 'dist/node.js'))))
  const byProgram = await run(process.execPath, [file])
  expect(byProgram.stderr).toBe('')
  expect(byProgram.stdout).toContain('content')
  expect(await copied('Case file', 'The case')).toContain('call: winter_feed')
  await served.end()
  await loupe.end()
})
