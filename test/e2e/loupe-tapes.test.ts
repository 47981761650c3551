import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import {
  apiary,
  bin,
  hello,
  hives,
  jexo,
  newFolder,
  Running,
  ready,
  root,
  run,
  speak,
  weigh,
  written,
} from '../support/cli.js'
import { LoupePage, oddServer } from '../support/loupe.js'

afterAll(() => Running.endAll())
const newTape = () => join(newFolder(), 'hives.tape.jsonl')
const kinds = (file: string) =>
  readFileSync(file, 'utf8')
    .trimEnd()
    .split('\n')
    .map((line) => JSON.parse(line).kind as string)

test('a relay between a host and a kit passes the same bytes, and records everything with upstream requests', async () => {
  const file = newTape()
  const kit = vault()
  const look = { jsonrpc: '2.0', id: 2, method: 'tools/call', params: { name: 'look' } }
  const lines = [hello('2025-11-25'), ready, look]
  const bare = await speak([bin, 'serve', kit], lines, withWax)
  const throughRelay = await speak([bin, 'relay', kit, '--tape', file], lines, withWax)
  expect(throughRelay.code).toBe(0)
  const answered = (of: typeof bare) => of.lines.flatMap(({ id, result }) => (result ? [id] : [])).sort()
  expect(answered(bare)).toStrictEqual([2, 'hello'])
  expect(answered(throughRelay)).toStrictEqual(answered(bare))
  expect(throughRelay.stdout).toBe(bare.stdout)
  expect(throughRelay.stdout).toContain('inside: b33swax!')
  expect(kinds(file)).toStrictEqual(expect.arrayContaining(['tape', 'message', 'upstream', 'stderr', 'state']))
  const shown = await jexo('show', file)
  expect(shown.stdout).toMatch(/tools\/call look ─+▶/)
  expect(shown.stdout).toMatch(/file open the vault .*─▶■/)
  expect(shown.stdout).toContain('closed: the server ended with code 0')
  expect(JSON.parse((await jexo('show', file, '--json')).stdout)[0]).toMatchObject({
    kind: 'state',
    label: expect.stringContaining('vault.kit.mjs'),
  })
  // The settings of the kit say which values are secrets.
  expect(readFileSync(file, 'utf8')).toMatch(/inside: ••••/)
  expect(readFileSync(file, 'utf8')).not.toContain('b33swax')
})

test('a relay works before a command and before a URL, and reports errors', async () => {
  const served = new Running([bin, 'serve', hives, '--http', '0'])
  const [url] = await served.until(/http:\S+/)
  const tape = newTape()
  const relay = new Running([bin, 'relay', url, '--http', '0', '--tape', tape])
  const [through] = await relay.until(/^http:\S+$/m)
  expect(through).not.toBe(url)
  const called = await jexo('call', through, 'weigh_hive', 'hive=ML-04', '--json')
  expect(JSON.parse(called.stdout)).toMatchObject({ kg: expect.any(Number) })
  expect(await relay.end()).toBe(0)
  expect(kinds(tape)).toContain('http')
  const spoken = await speak([bin, 'relay', url, '--tape', newTape()], [hello('2025-06-18')])
  expect(spoken.lines[0]).toMatchObject({ id: 'hello', result: { protocolVersion: '2025-06-18' } })
  await served.end()
  const crashed = await speak(
    [bin, 'relay', `exec:${process.execPath} '${written('five.mjs', 'process.exit(5)')}'`, '--tape', newTape()],
    [],
  )
  expect(crashed.code).toBe(5)
  expect(await jexo('relay', hives, '--tape', join(newFolder(), 'no/such.tape.jsonl'))).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('the tape cannot be written (ENOENT)'),
  })
  expect(await jexo('relay', hives, '--http', '1')).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('--http'),
  })
  expect(await jexo('relay', 'old.tape.jsonl')).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('a tape is a recording'),
  })
})

const vault = () =>
  written(
    'vault.kit.mjs',
    `import { defineKit, setting, tool } from 'jexo'
    export default defineKit({ name: 'vault', version: '1',
      settings: { WAX: setting({ about: 'A secret.', secret: true }) },
      parts: [tool('look', { about: 'Looks.', effect: 'read', run: (_, call) =>
        call.upstream('file', 'open the vault', () => 'inside: ' + call.settings.WAX) })] })`,
  )
const withWax = { env: { ...process.env, WAX: 'b33swax!' } as never }

test('a kit tells Loupe which settings are secrets, and no tape contains them', async () => {
  const kit = vault()
  const recorded = newTape()
  const loupe = await LoupePage.open([kit, '--tape', recorded], withWax)
  await loupe.call('look')
  await loupe.result().getByText('inside: b33swax!').waitFor()
  const download = loupe.page.waitForEvent('download')
  await loupe.page.getByRole('button', { name: 'Tape' }).click()
  await loupe.page.getByRole('menuitem', { name: 'Save all as a tape' }).click()
  const saved = join(newFolder(), 'saved.tape.jsonl')
  await (await download).saveAs(saved)
  await loupe.end()
  for (const tape of [saved, recorded]) {
    expect(readFileSync(tape, 'utf8')).toMatch(/inside: ••••/)
    expect(readFileSync(tape, 'utf8')).not.toContain('b33swax')
  }
})

test('serve --tape records: separate sessions, upstream requests, and no secrets', async () => {
  const file = newTape()
  const kit = vault()
  const server = new Running([bin, 'serve', kit, '--http', '0', '--tape', file], {
    env: { ...process.env, WAX: 'b33swax!' } as never,
  })
  const [url] = await server.until(/http:\S+/)
  for (let time = 0; time < 2; time++)
    expect((await jexo('call', url, 'look')).stdout).toContain('inside: b33swax!')
  await server.end()
  const text = readFileSync(file, 'utf8')
  expect(text).not.toContain('b33swax')
  expect(text).toContain('inside: ••••')
  const shown = (await jexo('loupe', '--plain', file)).stdout
  expect(shown.match(/file open the vault/g)).toHaveLength(2)
  expect(shown).toMatch(/vault 1, session 2/)
})

test('attach writes the throughRelay entry, which works from anywhere and records', async () => {
  const folder = newFolder()
  const config = join(folder, 'host.json')
  const file = join(folder, 'hives.tape.jsonl')
  const attached = await run(process.execPath, [bin, 'attach', hives, '--record', '--tape', file, '--to', config], {
    cwd: folder,
  })
  expect(attached).toMatchObject({
    code: 0,
    stderr: expect.stringMatching(/tried it: hives .*4 tools[\s\S]*jexo loupe --follow/),
  })
  const { args } = JSON.parse(readFileSync(config, 'utf8')).mcpServers.hives
  expect(args.slice(1)).toStrictEqual(['relay', hives, '--tape', file])
  expect((await jexo('call', `${config}#hives`, 'weigh_hive', 'hive=ML-04')).code).toBe(0)
  expect(readFileSync(file, 'utf8')).toContain('"weigh_hive"')
  const child = await jexo('attach', oddServer, '--record', '--tape', newTape())
  expect(child.code).toBe(0)
  expect(child.stdout).toMatch(/"relay",\s+"exec:/)
})

test('Loupe follows a real host live, starting before the host does', async () => {
  const file = newTape()
  const loupe = await LoupePage.open(['--follow', file])
  await loupe.page.getByText('Nothing is recorded yet').waitFor()
  const host = new Running([bin, 'relay', hives, '--tape', file])
  host.child.stdin.write(
    `${JSON.stringify(hello('2025-11-25'))}\n${JSON.stringify(ready)}\n${JSON.stringify(weigh(2))}\n`,
  )
  await loupe.line(/tools\/call weigh_hive/).waitFor()
  await loupe.line(/result.*kg/).click()
  await loupe.page.locator('pre', { hasText: '"structuredContent"' }).waitFor()
  const session = loupe.page.getByRole('region', { name: 'Session of test 1' })
  await session.getByRole('row', { name: /tools\/call weigh_hive 1/ }).waitFor()
  await session.getByText('hives 1.0.0').waitFor()
  host.child.stdin.end()
  await loupe.line(/the server ended with code 0/).waitFor()
  expect(loupe.faults).toStrictEqual([])
  await loupe.end()
})

test('everything in the page is saved as a tape, masked, and opened again without a server', async () => {
  const recorded = newTape()
  const loupe = await LoupePage.open([oddServer, '--tape', recorded, '--env', 'HIVE_TOKEN=wax-t0ken'])
  const { page } = loupe
  await page.getByText(/● .*hives\.tape\.jsonl/).waitFor()
  await loupe.part('tool fill_form')
  await page.getByRole('button', { name: 'As JSON' }).click()
  await page.locator('.cm-content').fill('{"name":"the wax-t0ken","box":{"width":1},"password":"hunter22"}')
  await loupe.send()
  await loupe
    .result()
    .getByText(/hunter22/)
    .waitFor()
  await page.getByRole('button', { name: 'Tape' }).click()
  const download = page.waitForEvent('download')
  await page.getByRole('menuitem', { name: 'Save all as a tape' }).click()
  const saved = join(newFolder(), (await download).suggestedFilename())
  await (await download).saveAs(saved)
  expect(saved).toMatch(/odd-20\d\d-.*\.tape\.jsonl$/)
  await loupe.end()
  for (const file of [saved, recorded]) {
    const text = readFileSync(file, 'utf8')
    expect(text).toContain('tools/call')
    expect(text).not.toMatch(/wax-t0ken|"password":"hunter22"/)
  }
  const again = await LoupePage.open([saved])
  await again.line(/tools\/call fill_form/).click()
  await again.page.locator('pre', { hasText: 'the ••••' }).first().waitFor()
  await again.page.getByRole('button', { name: 'Tape' }).click()
  const chooser = again.page.waitForEvent('filechooser')
  await again.page.getByRole('menuitem', { name: 'Open a tape…' }).click()
  await (await chooser).setFiles(recorded)
  const opened = again.page.getByText('hives.tape.jsonl').first().waitFor()
  const refused = again.page.getByRole('alert').textContent()
  expect(await Promise.race([opened, refused])).toBeUndefined()
  await again.page.getByRole('combobox', { name: 'Target' }).waitFor()
  const broken = written('broken.tape.jsonl', '{"version":1,"kind":"tape"}\nnonsense\n')
  await again.page.locator('input[type=file]').setInputFiles(broken)
  await again.page
    .getByRole('alert')
    .getByText(/line 2 is not a valid tape entry/)
    .waitFor()
  await again.end()
  expect(await jexo('loupe', '--plain', broken)).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('line 2'),
  })
})

test('the score is printed as text: a tape to its end, a server until Ctrl-C', async () => {
  const live = new Running([bin, 'loupe', '--plain', oddServer])
  await live.until(/│◀─ result .* tools \[17\]/)
  expect(live.said).toMatch(/Person Host +Server Upstream/)
  expect(await live.end()).toBe(0)
  const traced = await jexo('call', apiary, 'honey_batches', 'driest=15.9', '--trace')
  expect(traced.stderr).toMatch(/tools\/call honey_batches {2}driest 15\.9 ─+▶/)
  expect(traced.stderr).toMatch(/sql select .* ok .*─▶■\n {4}statement/)
  const file = newTape()
  writeFileSync(file, readFileSync(join(root, 'test/support/crashed.tape.jsonl')))
  const printed = await jexo('loupe', '--plain', file)
  expect(printed).toMatchObject({ code: 0 })
  expect(printed.stdout).toBe((await jexo('show', file)).stdout)
})
