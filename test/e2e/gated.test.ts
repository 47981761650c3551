import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { BrowserContext } from 'playwright-core'
import { sharedBrowser } from '../support/browser.js'
import { bin, jexoIn, jexoWith, newFolder, Running } from '../support/cli.js'
import { exampleFolder, openPage } from '../support/example.js'
import { LoupePage } from '../support/loupe.js'

/** The example with its authorization server, and people who sign in with a real browser. */
let context: BrowserContext
let url: string
let example: Running
const env: Record<string, string> = {
  ...(process.env as Record<string, string>),
  NO_COLOR: '1',
  XDG_CONFIG_HOME: mkdtempSync(join(tmpdir(), 'jexo-sign-ins-')),
}
Object.assign(process.env, { XDG_CONFIG_HOME: env.XDG_CONFIG_HOME })
const jexo = (...words: string[]) => jexoIn(newFolder(), ...words)

beforeAll(async () => {
  context = await (await sharedBrowser()).newContext()
  const port = 10_000 + (process.pid % 20_000)
  example = new Running(
    [join(exampleFolder('gated-apiary'), 'start.mjs'), '--port', String(port), '--identity-port', '0'],
    { cwd: exampleFolder('gated-apiary'), env },
  )
  url = (await example.until(/server +(http:\S+\/mcp)/))[1] ?? ''
  await example.until(/callers need a token/)
})
afterAll(async () => {
  // It ends the server that it has started.
  await example.end('SIGTERM')
  await Running.endAll()
})

/** Opens a page of the authorization server and chooses a person there. */
async function choose(address: string, person: RegExp): Promise<string> {
  const page = await context.newPage()
  await page.goto(address)
  await page.getByRole('button', { name: person }).click()
  await page.waitForLoadState()
  const text = (await page.locator('body').textContent()) ?? ''
  await page.close()
  return text
}

const ended = async ({ child }: Running) => {
  if (child.exitCode === null) await new Promise((done) => child.once('close', done))
}

/** Runs a sign-in, which prints an address, and signs somebody in there. */
async function signIn(person: RegExp, ...words: string[]) {
  const command = new Running([bin, 'sign-in', url, ...words], { env })
  const [address] = await command.until(/http:\S+\/auth\?\S+/)
  const shown = await choose(address, person)
  await ended(command)
  return { code: command.child.exitCode, said: command.said, shown }
}

test('commands use the sign-in, name the one that they need, and explain each step', async () => {
  const before = await jexo('call', url, 'who_am_i')
  expect([before.code, before.stderr]).toStrictEqual([2, expect.stringContaining(`run: jexo sign-in ${url}.`)])
  const { code, said, shown } = await signIn(/Odo/, '--explain')
  expect([code, shown]).toStrictEqual([0, 'You are signed in. You can close this page.'])
  const stages = [...said.matchAll(/^ *\d+ ✓ ([a-z ]+?) {2}/gm)].map(([, stage]) => stage)
  expect(stages).toStrictEqual([
    'challenge',
    'metadata',
    'authorization server',
    'registration',
    'authorization',
    'token',
    'retry',
  ])
  expect(said).toContain('"access_token": "••••"')
  expect(said).not.toMatch(/eyJ|state=[\w-]{8}.*✓/)
  expect((await jexo('call', url, 'who_am_i')).stdout).toContain('"Odo"')
  const move = ['call', url, 'move_hive', 'hive=ML-04', 'site=Orchard End']
  const refused = await jexo(...move)
  expect([refused.code, refused.stderr]).toStrictEqual([
    2,
    expect.stringContaining(`run: jexo sign-in ${url} --scopes hives.read,hives.write`),
  ])
  await signIn(/Odo/, '--scopes', 'hives.read,hives.write')
  expect((await jexo(...move)).stdout).toContain('Odo moved ML-04 to Orchard End.')
  expect((await jexo('sign-in', '--list')).stdout).toContain('hives.read, hives.write')
  const wrong = await signIn(/Nobody/, '--fresh')
  expect([wrong.code, wrong.shown]).toStrictEqual([2, 'The sign-in was refused. You can close this page.'])
  expect(wrong.said).toContain('access_denied: the person refused')
})

test('a device without a browser shows a code to type elsewhere', async () => {
  const command = new Running([bin, 'sign-in', url, '--device', '--scopes', 'hives.read,hives.write', '--fresh'], {
    env,
  })
  const [, , code = ''] = await command.until(/open (http:\S+) and type the code (\S+)/)
  const [, page = ''] = await command.until(/open (http:\S+) and/)
  const typed = await context.newPage()
  await typed.goto(page)
  await typed.locator('input[type=text]').fill(code)
  await typed.getByRole('button', { name: 'Continue' }).click()
  await typed.getByRole('button', { name: 'Yes, go on' }).click()
  await typed.getByRole('button', { name: /Wilma/ }).click()
  await typed.getByText('You can go back to your other device.').waitFor()
  await command.until(/signed in at/)
  await ended(command)
  const closed = await jexo('call', url, 'close_site', 'site=Marsh Lane')
  expect(closed.stdout).toContain('Wilma closed Marsh Lane.')
})

test('Loupe guides through the sign-in on a card, and shows its steps in the score', async () => {
  const own = { ...env, XDG_CONFIG_HOME: mkdtempSync(join(tmpdir(), 'jexo-sign-ins-')) }
  const loupe = await LoupePage.open([url], { env: own })
  const card = loupe.page.getByRole('region', { name: 'Sign in' })
  const address = await card.getByRole('link', { name: /^Sign in at/ }).getAttribute('href')
  await choose(address ?? '', /Fay/)
  await loupe.call('who_am_i')
  await loupe.result().getByText('Fay').first().waitFor()
  await loupe.line('sign-in · token').click()
  await loupe.page.getByRole('log').getByText('••••').first().waitFor()
  // Fay lacks this permission: the card appears again, and the score names the rule that was broken.
  await loupe.part('tool move_hive')
  for (const [name, choice] of Object.entries({ hive: 'ML-04', site: 'Orchard End' })) {
    await loupe.page.getByRole('combobox', { name }).click()
    await loupe.page.getByRole('option', { name: choice }).click()
  }
  await loupe.send()
  const again = card.getByRole('link', { name: /^Sign in at/ })
  expect(new URL((await again.getAttribute('href')) ?? '').searchParams.get('scope')).toBe('hives.read hives.write')
  await card.getByRole('button', { name: 'Cancel', exact: true }).click()
  await loupe
    .line(/the person cancelled the sign-in/)
    .first()
    .waitFor()
  expect(loupe.faults).toStrictEqual([])
  await loupe.end()
})

test('the rehearsal room guides through the sign-in, and attach says what a host will do', async () => {
  const own = { ...env, XDG_CONFIG_HOME: mkdtempSync(join(tmpdir(), 'jexo-sign-ins-')) }
  const attach = (...words: string[]) =>
    jexoWith(own, newFolder(), 'attach', url, '--to', join(newFolder(), 'host.json'), ...words)
  expect(await attach()).toMatchObject({
    code: 0,
    stderr: expect.stringContaining('the server responds, and asks callers to sign in.'),
  })
  const room = new Running([join(exampleFolder('rehearsal-room'), 'dist/backend/main.js'), '--port', '0', url], {
    env: own,
  })
  const [address] = await room.until(/http:\S+/)
  const { page, faults } = await openPage(address)
  const card = page.getByRole('region', { name: /^Sign in to 127\.0\.0\.1/ })
  await choose((await card.getByRole('link', { name: 'Sign in' }).getAttribute('href')) ?? '', /Odo/)
  await page.getByText('The model sees 3 tools.').waitFor()
  expect(await card.count()).toBe(0)
  expect(faults).toStrictEqual([])
  expect((await attach()).stderr).toContain('It was tried with your own sign-in.')
})
