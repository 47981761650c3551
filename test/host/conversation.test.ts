import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { defineKit, Refusal, tool } from 'jexo'
import {
  type CallStep,
  Conversation,
  chatHostModel,
  Host,
  type Step,
  standInHostModel,
  toFunctions,
} from 'jexo/host'
import { connect } from 'jexo/link'
import { z } from 'zod'

const hive = z
  .string()
  .regex(/^ML-\d\d$/)
  .describe('Hive code, such as ML-04')
const weigh = tool('weigh_hive', {
  about: 'Latest reading of the scale under one hive.',
  effect: 'read',
  input: z.object({ hive }),
  output: z.object({ kg: z.number() }),
  examples: [{ input: { hive: 'ML-04' } }],
  run: ({ hive }) => {
    if (hive === 'ML-99') throw new Refusal('There is no hive ML-99.')
    return { kg: hive === 'ML-04' ? 41 : 38 }
  },
})
const move = tool('move_hive', {
  about: 'Carries a hive to another site.',
  effect: 'change',
  input: z.object({ hive, site: z.enum(['Marsh Lane', 'Quarry Field']) }),
  confirm: ({ hive }) => `Move ${hive}?`,
  run: ({ hive, site }) => `${hive} stands at ${site}.`,
})
const wait = tool('count_bees', {
  about: 'Counts bees one by one until it is cancelled.',
  effect: 'read',
  run: (_, call) =>
    new Promise((_, reject) => {
      call.progress(1, 9, 'one')
      call.log.info('counting')
      call.signal.addEventListener('abort', () => reject(call.signal.reason))
    }),
})
const ask = tool('write_poem', {
  about: 'Has the model write a poem.',
  effect: 'read',
  run: async (_, call) => {
    const { content } = await call.askModel({
      messages: [{ role: 'user', content: { type: 'text', text: 'A poem.' } }],
      maxTokens: 50,
    })
    return JSON.stringify(content)
  },
})
const huge = tool('list_cells', {
  about: 'Lists every cell of every comb.',
  effect: 'read',
  run: () => 'cell '.repeat(1_000_000),
})
const survey = tool('survey_apiary', {
  about: 'Surveys the whole apiary, which takes long.',
  effect: 'read',
  task: 'required',
  input: z.object({ rounds: z.number().default(1) }),
  run: async (_, call) => {
    call.progress(1, 2, 'the first half')
    if (surveyed) return surveyed
    return new Promise((_resolve, reject) => {
      call.signal.addEventListener('abort', () => reject(call.signal.reason))
    })
  },
})
let surveyed: string | undefined
const kit = () => defineKit({ name: 'hives', version: '1', parts: [weigh, move, wait, ask, huge] })

async function roomWith(options: Partial<ConstructorParameters<typeof Conversation>[1]> = {}) {
  const host = new Host()
  await host.attach('hives', (given) => connect(kit(), given))
  const heard: Step[] = []
  const waiting: { wanted: (step: Step) => boolean; found: (step: Step) => void }[] = []
  const conversation = new Conversation(host, {
    model: standInHostModel(),
    onStep: (step) => {
      heard.push(step)
      for (const { wanted, found } of waiting) if (wanted(step)) found(step)
    },
    ...options,
  })
  const until = <T extends Step>(wanted: (step: Step) => step is T) =>
    new Promise<T>((found) => waiting.push({ wanted, found: found as (step: Step) => void }))
  return { host, conversation, until, heard }
}
const isCall =
  (state: CallStep['state']) =>
  (step: Step): step is CallStep =>
    step.kind === 'call' && step.state === state

describe('a conversation', () => {
  test('proposes a call, makes it after approval, and returns the result', async () => {
    const { conversation, until, host } = await roomWith()
    const proposed = until(isCall('proposed'))
    const said = conversation.say('What is the reading of the scale under ML-04?')
    const { id, arguments: given, tool } = await proposed
    expect([tool, given]).toStrictEqual(['weigh_hive', { hive: 'ML-04' }])
    expect(conversation.decide(id, 'once', { hive: 'ML-07' })).toBe(true)
    expect(await said).toStrictEqual([
      expect.objectContaining({ kind: 'person' }),
      expect.objectContaining({ state: 'done', approved: 'once', text: '{"kg":38}' }),
      expect.objectContaining({ kind: 'model', text: 'weigh_hive returned: kg 38' }),
    ])
    expect(conversation.decide(id, 'once')).toBe(false)
    await host.close()
  })

  test('does not ask again after an approval for the conversation, and resumes the earlier call', async () => {
    const { conversation, until, host } = await roomWith()
    const proposed = until(isCall('proposed'))
    const first = conversation.say('Reading of the scale under ML-04')
    conversation.decide((await proposed).id, 'conversation')
    await first
    const [, call] = await conversation.say('And ML-99?')
    expect(call).toMatchObject({
      state: 'done',
      approved: 'conversation',
      isError: true,
      reason: 'as before, with another value',
    })
    await host.close()
  })

  test('tells the model of a refusal, and calls nothing', async () => {
    const { conversation, host } = await roomWith({ onProposal: () => 'refuse' })
    const [, call, report] = await conversation.say('Reading of the scale under ML-04')
    expect(call).toMatchObject({ state: 'refused' })
    expect(call).not.toHaveProperty('result')
    expect(report).toMatchObject({ text: 'weigh_hive did not do it: The person refused this call.' })
    expect((await conversation.say('Book me a train to the coast'))[1]).toMatchObject({
      kind: 'model',
      text: expect.stringContaining('No tool here shares enough words'),
    })
    await host.close()
  })

  test('shows questions of a server to the person, and requests for the model as well', async () => {
    const { conversation, until, host } = await roomWith({ onProposal: () => 'once' })
    const asked = until((step): step is Step & { kind: 'question' } => step.kind === 'question')
    const moving = conversation.say('Carry hive ML-04 to Quarry Field')
    const question = await asked
    expect(question.question.message).toBe('Move ML-04?')
    expect(conversation.answer(question.id, { action: 'accept' })).toBe(true)
    expect((await moving).at(-1)).toMatchObject({ text: 'move_hive returned: ML-04 stands at Quarry Field.' })
    for (const [isAllowed, said] of [
      [true, /stand-in.*A poem/],
      [false, /refused/],
    ] as const) {
      const wanted = until(
        (step): step is Step & { kind: 'sampling' } => step.kind === 'sampling' && step.state === 'open',
      )
      const writing = conversation.say('Write a poem with the model')
      conversation.decideModelRequest((await wanted).id, isAllowed)
      expect((await writing).at(-1)).toMatchObject({ text: expect.stringMatching(said) })
    }
    await host.close()
  })

  test('shows progress and logs of a running call, and cancels it', async () => {
    const { conversation, until, host } = await roomWith({ onProposal: () => 'once' })
    const progressed = until(
      (step): step is CallStep => step.kind === 'call' && step.progress !== undefined && step.logs.length > 0,
    )
    const counting = conversation.say('Count bees one by one')
    const { id, progress, logs } = await progressed
    expect([progress, logs]).toStrictEqual([
      { done: 1, total: 9, message: 'one' },
      [{ level: 'info', text: 'counting' }],
    ])
    expect(conversation.cancel(id)).toBe(true)
    expect((await counting)[1]).toMatchObject({ state: 'cancelled', isError: true })
    await host.close()
  })

  test('runs a call as a task if possible, shows its status, and cancels it on the server', async () => {
    surveyed = 'All hives stand.'
    const { conversation, until, host } = await roomWith({ onProposal: () => 'once' })
    const surveys = defineKit({ name: 'surveys', version: '1', parts: [survey] })
    await host.attach('surveys', (given) => connect(surveys, given))
    const [, done] = await conversation.say('Survey the apiary')
    expect(done).toMatchObject({
      state: 'done',
      text: surveyed,
      task: { status: 'completed', id: expect.any(String) },
    })
    surveyed = undefined
    const working = until(
      (step): step is CallStep => step.kind === 'call' && step.task?.message === 'the first half',
    )
    const surveying = conversation.say('Survey the apiary')
    const { id, task } = await working
    expect(task?.status).toBe('working')
    expect(conversation.cancel(id)).toBe(true)
    expect((await surveying)[1]).toMatchObject({ state: 'cancelled', task: { status: 'cancelled' } })
    await host.close()
  })

  test('cuts results that are too long for a model, and keeps the whole', async () => {
    const { conversation, host } = await roomWith({ onProposal: () => 'once', mostCharacters: 100 })
    const [, call] = await conversation.say('List every cell of every comb')
    expect(call).toMatchObject({ text: expect.stringMatching(/^.{100}\n\(cut: 4999900 characters more\)$/) })
    expect(JSON.stringify((call as CallStep).result).length).toBeGreaterThan(5_000_000)
    await host.close()
  })

  test('stops a model that calls for ever, and when the person asks', async () => {
    let calls = 0
    const model = {
      ...standInHostModel(),
      turn: async () => ({
        text: '',
        calls: [{ id: `c${++calls}`, name: 'weigh_hive', arguments: { hive: 'ML-04' } }],
      }),
    }
    const { conversation, host } = await roomWith({ model, onProposal: () => 'once', mostTurns: 3 })
    expect((await conversation.say('go')).at(-1)).toMatchObject({
      kind: 'note',
      text: expect.stringContaining('made 3 rounds of calls'),
    })
    await host.close()
    const asking = await roomWith()
    const proposed = asking.until(isCall('proposed'))
    const said = asking.conversation.say('Reading of the scale under ML-04')
    await proposed
    await expect(asking.conversation.say('more')).rejects.toThrow(/is working/)
    asking.conversation.stop()
    expect((await said).at(-1)).toMatchObject({ kind: 'note', text: 'Stopped.', isFault: false })
    await asking.host.close()
  })
})

test('an approval for one server does not apply to another with a tool of the same name', async () => {
  const { conversation, until, host } = await roomWith()
  const proposed = until(isCall('proposed'))
  const first = conversation.say('Reading of the scale under ML-04')
  conversation.decide((await proposed).id, 'conversation')
  await first
  await host.detach('hives')
  await host.attach('strangers', (given) => connect(kit(), given))
  const again = until(isCall('proposed'))
  const second = conversation.say('Reading of the scale under ML-04')
  expect(await again).toMatchObject({ server: 'strangers', function: 'weigh_hive', state: 'proposed' })
  conversation.stop()
  await second
  await host.close()
})

test('a stop ends all calls proposed together, and the model gets a result for each', async () => {
  const seen: string[][] = []
  const model = {
    ...standInHostModel(),
    turn: async (messages: readonly { role: string }[]) => {
      seen.push(messages.map(({ role }) => role))
      const call = (id: string) => ({ id, name: 'weigh_hive', arguments: { hive: 'ML-04' } })
      return seen.length === 1 ? { text: '', calls: [call('a'), call('b')] } : { text: 'Fine.', calls: [] }
    },
  }
  const { conversation, until, host } = await roomWith({ model })
  const proposed = until(isCall('proposed'))
  const said = conversation.say('both')
  await proposed
  conversation.stop()
  expect((await said).filter(({ kind }) => kind === 'call')).toHaveLength(1)
  await conversation.say('and now?')
  expect(seen[1]).toStrictEqual(['person', 'model', 'tool', 'tool', 'person'])
  await host.close()
})

describe('a host', () => {
  test('gives functions unique names across servers, and omits disabled tools', async () => {
    const host = new Host()
    await host.attach('a b', (given) => connect(kit(), given))
    await host.attach('c', (given) => connect(defineKit({ name: 'c', version: '1', parts: [weigh] }), given))
    host.switch('a_b', false, 'write_poem')
    const names = host.functions().map(({ name, server }) => `${server} ${name}`)
    expect(names).toStrictEqual([
      'a_b a_b_weigh_hive',
      'a_b move_hive',
      'a_b count_bees',
      'a_b list_cells',
      'c c_weigh_hive',
    ])
    host.switch('c', false)
    expect(host.functions()).toHaveLength(4)
    expect(
      toFunctions([{ id: 'x', tools: [{ name: 'a-b' }, { name: 'a b' }] as never }]).map(({ name }) => name),
    ).toStrictEqual(['x_a_b', 'x_a_b_2'])
    await host.close()
  })

  test('keeps an unreachable server with the reason, reopens it, and lists tools again when they change', async () => {
    const changed: string[] = []
    const host = new Host({ onChange: ({ state, tools }) => changed.push(`${state} ${tools.length}`) })
    let isUp = false
    const running = kit()
    const server = await host.attach('hives', async (given) => {
      if (!isUp) throw new Error('nobody listens there')
      return connect(running, given)
    })
    expect(server).toMatchObject({ state: 'down', reason: 'nobody listens there' })
    const conversation = new Conversation(host, { model: standInHostModel(), onProposal: () => 'once' })
    expect((await conversation.say('Reading of the scale')).at(-1)).toMatchObject({
      text: expect.stringContaining('There are no tools to pick from'),
    })
    isUp = true
    await host.reopen('hives')
    expect(server).toMatchObject({ state: 'open', tools: { length: 5 } })
    await server.link?.close()
    expect(server.state).toBe('down')
    await host.close()
  })
})

test('a chat endpoint receives functions and their results, and its calls are made', async () => {
  const asked: { messages: { role: string; content: string }[]; tools: unknown[] }[] = []
  const endpoint = createServer(async (request, response) => {
    let text = ''
    for await (const chunk of request) text += chunk
    const body = JSON.parse(text)
    asked.push(body)
    const isFirst = asked.length === 1
    const message = isFirst
      ? {
          content: null,
          tool_calls: [
            { id: 't1', type: 'function', function: { name: 'weigh_hive', arguments: '{"hive":"ML-04"}' } },
          ],
        }
      : { content: `It weighs ${JSON.parse(body.messages.at(-1).content).kg} kg.` }
    response.setHeader('content-type', 'application/json')
    response.end(JSON.stringify({ choices: [{ message }] }))
  })
  await new Promise<void>((listening) => endpoint.listen(0, '127.0.0.1', listening))
  const { port } = endpoint.address() as AddressInfo
  const { conversation, host } = await roomWith({
    model: chatHostModel(`http://127.0.0.1:${port}/v1/chat`),
    onProposal: () => 'once',
  })
  const steps = await conversation.say('How heavy is it?', [{ label: 'hives://all', text: 'ML-04' }])
  expect(steps.at(-1)).toMatchObject({ kind: 'model', text: 'It weighs 41 kg.' })
  expect(asked[0]?.tools).toHaveLength(5)
  expect(asked[0]?.messages[0]).toStrictEqual({ role: 'user', content: '[hives://all]\nML-04\n\nHow heavy is it?' })
  expect(asked[1]?.messages.map(({ role }) => role)).toStrictEqual(['user', 'assistant', 'tool'])
  endpoint.close()
  endpoint.closeAllConnections()
  expect((await conversation.say('And now?')).at(-1)).toMatchObject({ kind: 'note', isFault: true })
  await host.close()
})
