import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import type { Page } from 'playwright-core'
import { apiary, newFolder, Running, root, run, written } from '../support/cli.js'
import { exampleFolder, openPage } from '../support/example.js'

const main = join(exampleFolder('rehearsal-room'), 'dist/backend/main.js')
const odd = join(root, 'test/support/odd-server.mjs')
let room: Running
let page: Page
let faults: string[]

beforeAll(async () => {
  const config = join(newFolder(), 'host.json')
  const entries = { odd: { command: process.execPath, args: [odd] }, gone: { url: 'http://127.0.0.1:9/mcp' } }
  writeFileSync(config, JSON.stringify({ mcpServers: entries }))
  room = new Running([main, '--port', '0', apiary, config])
  const [url] = await room.until(/http:\S+/)
  const opened = await openPage(url)
  page = opened.page
  faults = opened.faults
  await server('apiary').getByText('open', { exact: true }).waitFor()
})
afterAll(() => Running.endAll())
afterEach(() => expect(faults).toStrictEqual([]))

/** A hand-written server that asks with an invalid form. */
const oddly = `import { createInterface } from 'node:readline'
const send = (message) => console.log(JSON.stringify({ jsonrpc: '2.0', ...message }))
const tools = [{ name: 'ask_oddly', description: 'Asks oddly.', inputSchema: { type: 'object' } }]
const requestedSchema = { type: 'object', properties: { a: { $ref: '#/nowhere' } } }
let called
createInterface({ input: process.stdin }).on('line', (line) => {
  const { id, method, params, result } = JSON.parse(line)
  if (method === 'initialize') send({ id, result: { protocolVersion: params.protocolVersion, capabilities: { tools: {} }, serverInfo: { name: 'oddly', version: '0' } } })
  else if (method === 'tools/list') send({ id, result: { tools } })
  else if (method === 'tools/call') { called = id; send({ id: 'q', method: 'elicitation/create', params: { message: 'Where to?', requestedSchema } }) }
  else if (id === 'q') send({ id: called, result: { content: [{ type: 'text', text: result.action }] } })
})`
const server = (id: string) => page.getByRole('region', { name: `Server ${id}` })
const say = async (text: string) => {
  await page.getByLabel('Your message').fill(text)
  await page.keyboard.press('Enter')
}
const last = (name: string) => page.getByRole('article', { name }).last()
const startOver = () => page.getByRole('button', { name: 'Start over' }).click()

test('a question is answered: proposed, approved, called, and the next one under the same approval', async () => {
  await page.getByText(/It understands nothing/).waitFor()
  await say('What is the reading of the scale under ML-04?')
  const call = last('Call of weigh_hive')
  await call.getByText('proposed, not called yet').waitFor()
  expect(await call.getByLabel('Arguments').inputValue()).toContain('ML-04')
  await call.getByRole('button', { name: 'For this conversation' }).click()
  await page.getByText(/^weigh_hive returned: kg 3\d/).waitFor()
  await call.getByText('the request').click()
  await call.getByText('"method": "tools/call"').waitFor()
  await call.getByText('the result').click()
  await call.getByText('"structuredContent"').waitFor()
  await say('And ML-07?')
  await last('Call of weigh_hive').getByText('approved for this conversation').waitFor()
  await page
    .getByText(/^weigh_hive returned/)
    .nth(1)
    .waitFor()
  await startOver()
  await page.getByText('nothing is called before you do').waitFor()
})

test('a question of a server is answered with its form, and a refusal calls nothing', async () => {
  await say('Record an inspection of ML-04 on 2026-06-02')
  await last('Call of record_inspection').getByRole('button', { name: 'Approve once' }).click()
  const question = last('Question')
  await question.getByLabel('framesOfBrood').fill('6')
  await question.getByLabel('framesOfBees').fill('9')
  await question.getByLabel('storesKg').fill('11')
  await question.getByRole('button', { name: 'Answer' }).click()
  await page.getByText(/^record_inspection returned: id \d+, hive ML-04/).waitFor()
  await page.getByText(/You answered apiary: \{"framesOfBrood":6/).waitFor()
  await say('Move hive ML-04 to Quarry Field')
  await last('Call of move_hive').getByRole('button', { name: 'Refuse' }).click()
  await page.getByText('move_hive did not do it: The person refused this call.').waitFor()
  await startOver()
})

test('resources and prompts are attached, with completed values', async () => {
  await page.getByRole('button', { name: 'Attach a resource' }).click()
  await page
    .getByRole('menuitem', { name: /Sheet of a hive/ })
    .or(page.getByRole('menuitem', { name: 'apiary://hives/{hive}' }))
    .first()
    .click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('hive').fill('04')
  await page.getByRole('option', { name: 'ML-04' }).click()
  await dialog.getByRole('button', { name: 'Attach' }).click()
  await page.getByRole('button', { name: 'Take apiary://hives/ML-04 away' }).waitFor()
  await page.getByRole('button', { name: 'Use a prompt' }).click()
  await page.getByRole('menuitem', { name: /inspection_letter/ }).click()
  await dialog.getByLabel('hive').fill('ML-03')
  await dialog.getByLabel('member').fill('Ada')
  await page.getByRole('option', { name: 'Ada Fenn' }).click()
  await dialog.getByRole('button', { name: 'Attach' }).click()
  await page.getByRole('button', { name: 'Take inspection_letter away' }).waitFor()
  await say('Hello there')
  await page.getByText(/I see what you attached \(apiary:\/\/hives\/ML-04, inspection_letter\)/).waitFor()
  await page.getByText('attached: inspection_letter').click()
  await page.getByText(/Write a plain letter of at most 120 words to Ada Fenn/).waitFor()
  await startOver()
})

test('a tool that is switched off for the model is not called', async () => {
  const told = async () => Number(/\d+/.exec((await page.getByText(/^The model sees/).textContent()) ?? '')?.[0])
  const before = await told()
  await page.getByLabel('weigh_hive is offered to the model').click()
  await page.getByText(`The model sees ${before - 1} tools.`).waitFor()
  await say('What is the reading of the scale under ML-04?')
  await page.getByRole('article').last().waitFor()
  expect(await page.getByRole('article', { name: 'Call of weigh_hive' }).count()).toBe(0)
  await page.getByRole('button', { name: 'Stop' }).click()
  await page.getByText('Stopped.').waitFor()
  await page.getByLabel('weigh_hive is offered to the model').click()
  await startOver()
})

test('servers that are down, crash, or send 5 MB are reported, and the others keep working', async () => {
  await server('gone').getByText('down').waitFor()
  await server('gone')
    .getByText(/no connection/)
    .waitFor()
  await server('apiary').getByRole('button', { name: 'All off' }).click()
  await say('huge')
  await last('Call of huge').getByRole('button', { name: 'Approve once' }).click()
  await page.getByText(/characters; open the result for all of it/).waitFor()
  await last('Call of huge').getByText('the result').click()
  await last('Call of huge')
    .getByText(/characters more/)
    .waitFor()
  await say('crash')
  await last('Call of crash').getByRole('button', { name: 'Approve once' }).click()
  await server('odd').getByText('down', { exact: true }).waitFor()
  await server('odd').getByRole('button', { name: 'Open again' }).click()
  await server('odd').getByText('open', { exact: true }).waitFor()
  await page.getByLabel('Attach a server').fill('nowhere.kit.ts')
  await page.getByRole('button', { name: 'Attach', exact: true }).click()
  await page.getByText(/nowhere\.kit\.ts/).waitFor()
  await server('apiary').getByRole('button', { name: 'All on' }).click()
  await startOver()
  await say('What is the reading of the scale under ML-04?')
  await last('Call of weigh_hive').waitFor()
})

test('a form that the page cannot draw is declined, and the text for the model can be read', async () => {
  await startOver()
  const server = written('oddly.mjs', oddly)
  await page.getByLabel('Attach a server').fill(`exec:"${process.execPath}" "${server}"`)
  await page.getByRole('button', { name: 'Attach', exact: true }).click()
  // No command runs before the person has seen it.
  const asked = page.getByRole('alertdialog')
  await asked.getByText(server).waitFor()
  await asked.getByRole('button', { name: 'Run', exact: true }).click()
  await page.getByText('functions as the model sees them').click()
  await page.getByText('"name": "ask_oddly"').waitFor()
  await say('ask oddly')
  await last('Call of ask_oddly').getByRole('button', { name: 'Approve once' }).click()
  await last('Question')
    .getByText(/This page cannot draw the form/)
    .waitFor()
  await last('Question').getByRole('button', { name: 'Decline' }).click()
  await page.getByText('ask_oddly returned: decline').waitFor()
})

test('only its own page may use the room', async () => {
  const url = new URL(page.url())
  expect((await fetch(new URL('/api/stop', url), { method: 'POST' })).status).toBe(403)
  expect((await fetch(new URL('/../package.json', url))).status).toBe(404)
})

test('a server that cannot be started is reported', async () => {
  const ran = await run(process.execPath, [main, '--port', 'many'])
  expect(ran).toMatchObject({
    code: 2,
    stderr: expect.stringMatching(/--port many is not a valid port[\s\S]*Usage/),
  })
})
