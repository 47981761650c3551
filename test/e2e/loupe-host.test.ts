import { LoupePage, oddServer } from '../support/loupe.js'

describe('Loupe, as the host of a server that asks, on one page', () => {
  let odd: LoupePage
  beforeAll(async () => {
    odd = await LoupePage.open([oddServer])
  })
  afterAll(() => odd.end())
  const card = () => odd.page.getByRole('region', { name: 'The server asks' })
  /** Changes the configuration of the host. */
  const play = async (change: () => Promise<void>) => {
    await odd.page.goto(`${new URL(odd.url).origin}/#/target/t1`)
    await odd.page.getByRole('button', { name: 'Use this' }).waitFor()
    await change()
    await odd.page.getByRole('button', { name: 'Use this' }).click()
  }

  test('shows a question on a card in the score, checks the answer, and sends it', async () => {
    await odd.call('ask_person')
    await card().getByText('How many frames of brood?').waitFor()
    await odd.page.getByText('1 asked').waitFor()
    const frames = card().getByRole('textbox', { name: 'Frames' })
    await card().getByRole('button', { name: 'Accept', exact: true }).click()
    await card()
      .getByText(/must have required property/)
      .first()
      .waitFor()
    await frames.fill('6')
    await card().getByRole('combobox', { name: 'temper' }).click()
    await odd.page.getByRole('option', { name: 'Defensive' }).click()
    await card().getByRole('button', { name: 'Accept', exact: true }).click()
    await odd
      .result()
      .getByText('accept {"frames":6,"temper":"d"}')
      .or(odd.result().getByText('accept {"temper":"d","frames":6}'))
      .waitFor()
    expect(await card().count()).toBe(0)
    await odd.line(/reply.*accept: /).waitFor()
  })

  test('declines and cancels questions, and opens no page without showing its address', async () => {
    await odd.call('ask_person')
    await card().getByRole('button', { name: 'Decline' }).click()
    await odd.result().getByText('decline null').waitFor()
    await odd.call('send_away')
    await card().getByText('bees.example.org', { exact: true }).waitFor()
    await card().getByText('https://bees.example.org/sign-in?next=1').waitFor()
    await card().getByRole('button', { name: 'Cancel' }).click()
    await odd.result().getByText('cancel', { exact: true }).waitFor()
    await odd.call('send_away')
    await card().getByRole('button', { name: 'Accept without opening' }).click()
    await odd.result().getByText('accept', { exact: true }).waitFor()
  })

  test('pings, sets the log level, subscribes, and shows the notifications', async () => {
    const { page } = odd
    await page.getByRole('button', { name: /^open odd/ }).click()
    await page.getByRole('button', { name: 'Ping', exact: true }).click()
    await page.getByText('The server responded to the ping.').waitFor()
    await page.getByRole('combobox', { name: 'Minimum level of log messages' }).click()
    await page.getByRole('option', { name: 'warning' }).click()
    await odd.line('from now on warning').waitFor()
    await odd.part('resource odd://page')
    await page.getByRole('button', { name: 'Subscribe' }).click()
    await odd.line(/resources\/updated.*odd:\/\/page/).waitFor()
    await page.getByRole('button', { name: 'Unsubscribe' }).click()
    await page.getByRole('button', { name: 'Subscribe', exact: true }).waitFor()
  })

  test('sends its roots, and notifies the server when they change', async () => {
    await odd.call('ask_folders')
    await odd.result().getByText('[]').waitFor()
    await play(() => odd.page.getByLabel('Folders', { exact: true }).fill('not a folder'))
    await odd.page.getByText(/"not" is not a file:\/\/ URI/).waitFor()
    await play(() => odd.page.getByLabel('Folders', { exact: true }).fill('file:///home/bee/hives The hives'))
    await odd.line('roots/list_changed').waitFor()
    await odd.call('ask_folders')
    await odd.result().getByText('file:///home/bee/hives').waitFor()
    await odd.call('told_folders')
    await odd.result().getByText('1', { exact: true }).waitFor()
  })

  test('answers for the model by hand, with the stand-in, with a fixed text, or not at all', async () => {
    await odd.call('ask_model')
    await card().getByText('You keep bees.').waitFor()
    await card().getByLabel('Reply for the model').fill('Not this week.')
    await card().getByRole('button', { name: 'Answer', exact: true }).click()
    await odd.result().getByText('by-hand: Not this week.').waitFor()
    await odd.call('ask_model')
    await card().getByRole('button', { name: 'Let the stand-in answer' }).click()
    await odd.result().getByText('jexo-stand-in: (stand-in) Is the colony about to swarm?').waitFor()
    await odd.call('ask_model')
    await card().getByRole('button', { name: 'Refuse' }).click()
    await odd
      .result()
      .getByText(/^refused -1: The person refused/)
      .waitFor()
    await play(async () => {
      await odd.page.getByRole('combobox', { name: 'Who replies for the model' }).click()
      await odd.page.getByRole('option', { name: 'the text below, each time' }).click()
      await odd.page.getByLabel('Reply of the model').fill('Ask a keeper.')
    })
    await odd.call('ask_model')
    await odd.result().getByText('by-hand: Ask a keeper.').waitFor()
  })

  test('declares only the chosen capabilities, and requests the chosen revision', async () => {
    const { page } = odd
    await play(async () => {
      await page.getByRole('checkbox', { name: /elicitation/ }).uncheck()
      await page.getByRole('checkbox', { name: /sampling/ }).uncheck()
      await page.getByRole('combobox', { name: 'Revision to request' }).click()
      await page.getByRole('option', { name: '2025-06-18' }).click()
    })
    await page
      .getByRole('banner')
      .getByText(/revision 2025-06-18/)
      .waitFor()
    const declared = page.getByRole('region', { name: 'The client declares' })
    await declared.getByText('roots (listChanged)').waitFor()
    expect(await declared.textContent()).not.toMatch(/elicitation|sampling/)
    await odd.call('ask_model')
    await odd
      .result()
      .getByText(/^refused -32601/)
      .waitFor()
    await odd.call('ask_person')
    await odd
      .result()
      .getByText(/^refused: Method not found/)
      .waitFor()
  })
})
