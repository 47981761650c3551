import { LoupePage, oddServer } from '../support/loupe.js'

let odd: LoupePage
const open = async () => {
  odd = await LoupePage.open([oddServer])
}

describe('Loupe with an unusual server, on one page', () => {
  beforeAll(open)
  afterAll(() => odd.end())

  test('shows the findings of vet for a part, with the fix', async () => {
    const { page } = odd
    await page.getByRole('button', { name: /^fill_form \d+ findings/ }).click()
    await page.getByText(/\d+ findings of vet/).click()
    await page.getByText(/the input is recursive \(\$ref .*Fix: define each level that is needed/).waitFor()
    expect(odd.faults).toStrictEqual([])
  })

  test('builds a form for nested objects, tuples, titled choices, unions and any value, in sync with its JSON', async () => {
    const { page } = odd
    await odd.part('tool fill_form')
    await page.getByRole('button', { name: /^name "Fern"/ }).click()
    await page.getByLabel('anything').fill('{"a":[1]}')
    await page.getByRole('combobox', { name: 'size' }).click()
    await page.getByRole('option', { name: 'Large' }).click()
    await page.getByRole('combobox', { name: 'old' }).click()
    await page.getByRole('option', { name: 'Birch' }).click()
    await page.getByRole('combobox', { name: 'sent' }).click()
    await page.getByRole('option', { name: 'hand' }).click()
    await page.getByRole('textbox', { name: 'to', exact: true }).fill('Ada')
    await page.getByRole('textbox', { name: 'mail' }).fill('fern@example.org')
    await odd.send()
    // Requires another field: only the schema itself expresses that.
    await page.getByText(/must have property when/).waitFor()
    await page.getByRole('button', { name: 'As JSON' }).click()
    const editor = page.locator('.cm-content')
    expect(await editor.textContent()).toContain('"size": "l"')
    // Choosing a branch sets its discriminating value.
    expect((await editor.textContent())?.replace(/\s+/g, ' ')).toContain('"by": "hand", "to": "Ada"')
    await editor.fill('{"name":"Fern","box":{"width":0}}')
    await page.getByText(/box\.width: must be >= 1/).waitFor()
    await editor.fill('{"name":"Fern","box":{"width":3},"old":"b","pair":["x",2]}')
    await page.getByRole('button', { name: 'As a form' }).click()
    expect(await page.getByRole('textbox', { name: 'width' }).inputValue()).toBe('3')
    expect(await page.getByRole('textbox', { name: 'pair-2' }).inputValue()).toBe('2')
    await odd.send()
    await odd.result().getByText('"pair"').waitFor()
    expect(JSON.parse(String(await odd.result().locator('pre').textContent()))).toStrictEqual({
      name: 'Fern',
      box: { width: 3 },
      old: 'b',
      pair: ['x', 2],
    })
    expect(odd.faults).toStrictEqual([])
  })

  test('shows a prompt as a conversation, with completion, and reports an invalid template', async () => {
    const { page } = odd
    await odd.part('prompt letter')
    await page.getByRole('combobox', { name: 'hive' }).fill('12')
    await page.getByRole('option', { name: 'ML-12' }).click()
    await page.getByRole('button', { name: 'Fill', exact: true }).click()
    await page.getByRole('article', { name: 'user' }).getByText('Write about ML-12.').waitFor()
    await page.getByRole('article', { name: 'assistant' }).getByText('Dear keeper,').waitFor()
    await odd.part('template odd://{broken')
    await page.getByText('This URI template is not valid').waitFor()
    expect(odd.faults).toStrictEqual([])
  })

  test('accepts arguments as JSON if a form is not possible', async () => {
    await odd.part('tool odd name/ü')
    await odd.page.getByText('No form is available for this schema').waitFor()
    await odd.page.locator('.cm-content').fill('{"x":1}')
    await odd.send()
    await odd.result().getByText('ok', { exact: true }).waitFor()
  })

  test('shows every type of content, follows links, and runs none of it as code', async () => {
    const { page } = odd
    await odd.call('shapes')
    await page.getByRole('heading', { name: 'Robbing' }).waitFor()
    await page.getByRole('figure').getByText('what is inside').waitFor()
    await page.getByText('This image cannot be shown').waitFor()
    expect(await odd.result().locator('img').count()).toBe(2)
    expect(await odd.result().locator('audio').count()).toBe(1)
    expect(
      await odd
        .result()
        .locator('a')
        .evaluateAll((links) => links.map((link) => link.getAttribute('href'))),
    ).toStrictEqual(['https://example.org/'])
    await page.getByRole('button', { name: 'kg', exact: true }).click()
    expect(await page.getByRole('table').locator('tbody td').first().textContent()).toBe('ML-02')
    expect(await page.evaluate('window.broken')).toBeUndefined()
    await page.getByRole('button', { name: 'The page' }).click()
    await page.getByRole('heading', { name: 'The page' }).waitFor()
    await odd.line('resources/read odd://page').waitFor()
  })

  test('shows where an answer does not match its output schema, and whether it is a protocol error', async () => {
    await odd.call('wrong')
    await odd.page.getByText('Does not match its output schema').waitFor()
    await odd.page.getByText(/kg: .*number/).waitFor()
    await odd.call('refuse')
    await odd.page.getByRole('heading', { name: 'Refused (-32603)' }).waitFor()
    await odd.page.getByRole('region', { name: 'Error data' }).getByText('"2026-06-01"').waitFor()
  })

  test('shows the progress of a slow call, and cancels it and one without an answer', async () => {
    const { page } = odd
    await odd.part('tool slow')
    await page.getByRole('textbox', { name: 'steps' }).fill('1000')
    await odd.send()
    await page
      .getByRole('status')
      .getByText(/^[2-9] of 1000$/)
      .waitFor()
    await page.getByRole('button', { name: 'Cancel', exact: true }).click()
    await page.getByRole('heading', { name: 'Cancelled' }).waitFor()
    await odd.call('silent')
    await page.getByRole('button', { name: 'Cancel', exact: true }).click()
    await page.getByRole('heading', { name: 'Cancelled' }).waitFor()
    await odd.line('tools/call silent').waitFor()
    expect(await odd.line('cancelled').count()).toBe(2)
  })
})

describe('Loupe with an unusual server, on another page', () => {
  beforeAll(open)
  afterAll(() => odd.end())

  test('survives a server that crashes, shows its last output, and reconnects', async () => {
    const { page } = odd
    await odd.call('crash')
    await page.getByRole('heading', { name: 'No response' }).waitFor()
    await page
      .getByRole('alert')
      .getByText(/ended with code 3, saying: out of honey.*Fix: /)
      .waitFor()
    await odd.line('out of honey').first().waitFor()
    await page.getByRole('button', { name: 'Connect', exact: true }).click()
    await odd.call('mumble')
    await odd.result().getByText('mumbled').waitFor()
    await odd.line('Listening on port 3000').click()
    await page.locator('pre', { hasText: 'Listening on port 3000' }).waitFor()
  })

  test('marks new, changed and removed parts in the catalogue and in the score', async () => {
    const { page } = odd
    await odd.call('change')
    await odd
      .line(/catalogue changed: .*changed tool slow \(description\).*new tool late_tool.*gone tool mumble/)
      .waitFor()
    await page.keyboard.press('Escape')
    await page.getByRole('button', { name: /^late_tool ?new/ }).waitFor()
    await page.getByRole('button', { name: /^slow ?changed.*Now even slower/ }).waitFor()
    await page.getByRole('button', { name: /^mumble ?gone/ }).click()
    expect(await page.getByRole('button', { name: 'Send', exact: true }).count()).toBe(0)
  })

  test('scrolls and searches twenty thousand messages, and draws only the visible ones', async () => {
    const { page } = odd
    await odd.call('flood')
    await odd.result().getByText('that was all').waitFor()
    await page.getByText(/^20,0\d\d lines$/).waitFor()
    const rows = await page.getByRole('log').locator('.line').count()
    expect(rows).toBeGreaterThan(10)
    expect(rows).toBeLessThan(120)
    await odd.line('drop 20000').waitFor()
    await page.getByRole('log').evaluate((log) => {
      log.dispatchEvent(new WheelEvent('wheel', { bubbles: true }))
      log.scrollTo({ top: log.scrollHeight / 2 })
    })
    await odd
      .line(/drop (9\d\d\d|10\d\d\d)$/)
      .first()
      .waitFor()
    await page.getByLabel('Search the score').fill('drop 12345')
    await page.getByText(/^1 of 20,0\d\d$/).waitFor()
    await odd.line('drop 12345').waitFor()
    await page.getByLabel('Search the score').fill('')
    await page.getByRole('button', { name: 'All kinds' }).click()
    await page.getByRole('checkbox', { name: 'Progress, logs, layers' }).uncheck()
    await odd.line('tools/call flood').waitFor()
    expect(await odd.line(/drop/).count()).toBe(0)
  })

  test('shows twenty megabytes piece by piece, and searches them', async () => {
    const { page } = odd
    await odd.call('huge')
    await odd
      .result()
      .getByText(/^honey honey/)
      .waitFor()
    await page.getByRole('button', { name: /^20,9\d\d,\d{3} characters more$/ }).waitFor()
    await page.getByRole('combobox', { name: 'as' }).click()
    await page.getByRole('option', { name: 'list' }).click()
    await odd.send()
    await odd.result().getByText('rows · 200,000').waitFor()
    expect(await page.getByRole('table').locator('tbody tr').count()).toBe(50)
    // The page has only the beginning and the size of the whole; opening it fetches the whole.
    await odd.line(/result.*rows \[200000\]/).click()
    const tree = page.getByRole('log').getByRole('region', { name: 'Tree' })
    await tree.getByRole('button', { name: /rows.*\[200000\]/ }).waitFor()
    await page.getByLabel('Search in Message result').fill('199998')
    await tree.getByText('1 found').or(tree.getByText('2 found')).waitFor()
    expect(await tree.locator('[data-match]').count()).toBeGreaterThan(0)
    expect(odd.faults).toStrictEqual([])
  })
})
