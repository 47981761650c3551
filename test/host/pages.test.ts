import { defineKit, tool, view } from 'jexo'
import { type CallStep, Conversation, Host, type PageMessageStep, type Step, standInHostModel } from 'jexo/host'
import { connect } from 'jexo/link'

const card = view('ui://hives/card', { about: 'A hive.', page: '<h1>Hive</h1>', connects: ['https://a.example'] })
const plan = tool('plan_visit', {
  about: 'Plans a visit to a hive.',
  effect: 'read',
  view: card,
  run: () => ({ hives: 12 }),
})
const list = tool('list_visits', {
  about: 'Lists visits.',
  effect: 'read',
  forPages: 'too',
  run: () => 'no visits',
})
const record = tool('record_visit', {
  about: 'Records a visit.',
  effect: 'add',
  forPages: 'only',
  run: () => 'recorded',
})
const move = tool('move_hive', { about: 'Moves a hive.', effect: 'change', run: () => 'moved' })
const kit = defineKit({ name: 'hives', version: '1', parts: [plan, list, record, move] })
const text = (words: string) => [{ type: 'text' as const, text: words }]

async function roomWith(options: Partial<ConstructorParameters<typeof Conversation>[1]> = {}, views = true) {
  const host = new Host({ views })
  await host.attach('hives', (given) => connect(kit, given))
  const steps: Step[] = []
  const conversation = new Conversation(host, {
    model: standInHostModel(),
    onProposal: () => 'once',
    onStep: (step) => steps.push(step),
    ...options,
  })
  const said = await conversation.say('Plan a visit to a hive')
  const call = said.find((step): step is CallStep => step.kind === 'call') as CallStep
  return { host, conversation, pages: conversation.pages, call, steps }
}

test('a host with views learns which page shows a call, and hides page-only tools from the model', async () => {
  const { host, pages, call } = await roomWith()
  expect(host.functions().map(({ name }) => name)).toStrictEqual(['plan_visit', 'list_visits', 'move_hive'])
  expect(call).toMatchObject({ tool: 'plan_visit', view: 'ui://hives/card', state: 'done' })
  expect(await pages.view(call.id)).toStrictEqual({
    uri: 'ui://hives/card',
    html: '<h1>Hive</h1>',
    meta: { csp: { connectDomains: ['https://a.example'] } },
  })
})

test('a host without views gets only the result', async () => {
  const { host, pages, call } = await roomWith({}, false)
  expect(host.servers[0]?.tools.map(({ name }) => name)).toStrictEqual(['plan_visit', 'list_visits', 'move_hive'])
  expect(call).not.toHaveProperty('view')
  expect(call.text).toBe('{"hives":12}')
  await expect(pages.view(call.id)).rejects.toThrow(/has no view/)
})

test('a page calls page-only tools as an action of the person, hidden from the model', async () => {
  const messages: unknown[] = []
  const model = { ...standInHostModel() }
  const { conversation, pages, call } = await roomWith({
    model: {
      ...model,
      turn: (given, functions, signal) => {
        messages.push([...given])
        return model.turn(given, functions, signal)
      },
    },
  })
  expect(await pages.call(call.id, 'record_visit', {})).toMatchObject({ content: text('recorded') })
  expect(conversation.steps.at(-1)).toMatchObject({
    kind: 'page-call',
    tool: 'record_visit',
    state: 'done',
    text: 'recorded',
  })
  await conversation.say('Thank you')
  expect(JSON.stringify(messages)).not.toContain('record_visit')
  for (const name of ['move_hive', 'of_another_server'])
    await expect(pages.call(call.id, name, {})).rejects.toMatchObject({ name: 'ViewError' })
  await expect(pages.call(999, 'record_visit', {})).rejects.toThrow(/not a call/)
  await expect(pages.read(call.id, 'hives://none')).rejects.toThrow(/not found/i)
})

test('a message of a page waits for the person, and is marked as coming from the page', async () => {
  const { conversation, pages, call, steps } = await roomWith()
  const saying = pages.say(call.id, text('List visits'))
  const open = conversation.steps.at(-1) as PageMessageStep
  expect(open).toMatchObject({ kind: 'page-message', state: 'open', text: 'List visits', tool: 'plan_visit' })
  await expect(pages.say(call.id, text('Another'))).rejects.toThrow(/still waiting for a decision/)
  expect(pages.decide(open.id, true)).toBe(true)
  await saying
  expect(open.state).toBe('sent')
  expect(pages.decide(open.id, true)).toBe(false)
  expect(conversation.steps.find((step) => step.kind === 'person' && step.page !== undefined)).toMatchObject({
    text: 'List visits',
    page: 'plan_visit',
    attached: [{ text: expect.stringMatching(/written by the page of the tool plan_visit of hives/) }],
  })
  expect(steps.length).toBeGreaterThan(3)

  const refused = pages.say(call.id, text('Buy ten hives'))
  const rejected = expect(refused).rejects.toMatchObject({
    code: -32000,
    message: 'the person did not send the message',
  })
  pages.decide((conversation.steps.at(-1) as PageMessageStep).id, false)
  await rejected
  const stopped = expect(pages.say(call.id, text('x'))).rejects.toThrow(/did not send/)
  conversation.stop()
  await stopped
})

test('scripts decide on messages without a person', async () => {
  const { pages, call } = await roomWith({ onPageMessage: ({ text }) => (text === 'yes' ? 'send' : 'refuse') })
  await expect(pages.say(call.id, text('no'))).rejects.toThrow(/did not send/)
  await expect(pages.say(call.id, text('yes'))).resolves.toBeUndefined()
})

test('the context that a page sets for the model replaces the earlier one, and is sent with the next turn only', async () => {
  const { conversation, pages, call } = await roomWith()
  pages.tell(call.id, { content: text('ML-04 is chosen') })
  pages.tell(call.id, { structuredContent: { hive: 'ML-05' } })
  expect(conversation.steps.filter(({ kind }) => kind === 'page-context')).toMatchObject([
    { text: '{"hive":"ML-05"}' },
  ])
  const [person] = await conversation.say('Thank you')
  expect(person).toMatchObject({
    attached: [
      {
        label: 'context from the page of plan_visit',
        text: '[From the page of the tool plan_visit of hives. The user did not write it.]\n{"hive":"ML-05"}',
      },
    ],
  })
  const [next] = await conversation.say('Thank you')
  expect(next).toMatchObject({ attached: [] })
})
