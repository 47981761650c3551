import { defineKit, layer, prompt, Refusal, resource, stateKey, template, tool } from 'jexo'
import { connect } from 'jexo/link'
import { z } from 'zod'

const read = { about: 'x', effect: 'read' } as const
const said = (result: { content: unknown[]; isError?: boolean }) =>
  `${result.isError ? 'error: ' : ''}${(result.content[0] as { text: string }).text}`

/** Calls `weigh` of a kit with these layers; the input of the tool is added to `seen`. */
async function calling(layers: Parameters<typeof layer>[1][], hive = 'ML-04') {
  const seen: unknown[] = []
  const errors: string[] = []
  const weigh = tool('weigh', {
    ...read,
    input: z.object({ hive: z.string().startsWith('ML-') }),
    run: (input) => {
      seen.push(input)
      return 'heavy'
    },
  })
  const kit = defineKit({
    name: 'k',
    version: '1.0.0',
    layers: layers.map((around, at) => layer(`l${at}`, around)),
    parts: [weigh],
  })
  const link = await connect(kit, { report: ({ text }) => void errors.push(text) })
  const result = said(await link.call('weigh', { hive }))
  await link.close()
  return { result, seen, errors: errors.join('\n') }
}

test('layers wrap all four kinds of requests, those of the kit outside those of the part', async () => {
  const order: string[] = []
  const named = (name: string) =>
    layer(name, async (call, next) => {
      order.push(`${name} ${call.method} ${call.part.name} ${JSON.stringify(call.input)} ${call.uri ?? ''}`.trim())
      return next()
    })
  const inner = [named('part')]
  const kit = defineKit({
    name: 'k',
    version: '1.0.0',
    layers: [named('kit')],
    parts: [
      tool('weigh', { ...read, input: z.object({ hive: z.string() }), layers: inner, run: () => 'x' }),
      resource('a://b', { name: 'b', about: 'b', layers: inner, read: () => 'x' }),
      template('t://{hive}', {
        name: 't',
        about: 't',
        layers: inner,
        complete: { hive: (typed, { filled }) => [`${typed}${Object.keys(filled).length}`] },
        read: ({ hive }) => hive,
      }),
      prompt('p', { about: 'p', input: z.object({ to: z.string() }), layers: inner, run: ({ to }) => to }),
    ],
  })
  const link = await connect(kit)
  await link.call('weigh', { hive: 'a' })
  await link.read('a://b')
  expect((await link.read('t://c')).contents).toMatchObject([{ text: 'c' }])
  await link.fill('p', { to: 'd' })
  expect((await link.complete({ template: 't://{hive}' }, { name: 'hive', value: 'e' })).values).toStrictEqual([
    'e0',
  ])
  await link.close()
  expect(order.filter((line) => line.startsWith('kit'))).toStrictEqual([
    'kit tools/call weigh {"hive":"a"}',
    'kit resources/read b {} a://b',
    'kit resources/read t {"hive":"c"} t://c',
    'kit prompts/get p {"to":"d"}',
    'kit completion/complete t "e"',
  ])
  expect(order.map((line) => line.split(' ')[0])).toStrictEqual(
    Array.from({ length: 5 }, () => ['kit', 'part']).flat(),
  )
})

test('a layer wraps only its methods, beside others that wrap all', async () => {
  const order: string[] = []
  const named = (name: string, options = {}) =>
    layer(
      name,
      (call, next) => {
        order.push(`${name} ${call.method}`)
        return next()
      },
      options,
    )
  const kit = defineKit({
    name: 'k',
    version: '1.0.0',
    layers: [named('all'), named('reads', { methods: ['resources/read'] })],
    parts: [
      tool('weigh', { ...read, run: () => 'x' }),
      resource('a://b', { name: 'b', about: 'b', read: () => 'x' }),
    ],
  })
  const link = await connect(kit)
  await link.call('weigh')
  await link.read('a://b')
  await link.close()
  expect(order).toStrictEqual(['all tools/call', 'all resources/read', 'reads resources/read'])
})

test('a layer responds itself, changes input and result, refuses, retries, and passes values on', async () => {
  expect(await calling([() => 'mine'])).toMatchObject({ result: 'mine', seen: [] })
  expect(
    await calling([
      (call, next) => {
        call.input = { hive: 'ML-09' }
        return next()
      },
    ]),
  ).toMatchObject({ result: 'heavy', seen: [{ hive: 'ML-09' }] })
  expect((await calling([async (_, next) => `${await next()}!`])).result).toBe('heavy!')
  expect(
    await calling([
      () => {
        throw new Refusal('Not today.')
      },
    ]),
  ).toMatchObject({ result: 'error: Not today.', seen: [] })
  expect((await calling([async (_, next) => `${await next()} ${await next()}`])).seen).toHaveLength(2)
  const key = stateKey<string>('tenant')
  const handed = await calling([
    (call, next) => {
      call.state.set(key, 'bees')
      return next()
    },
    (call) => `${call.state.get(key)} ${call.state.has(stateKey('tenant'))}`,
  ])
  expect(handed.result).toBe('bees false')
})

test('a layer can change the variables of a template to other strings only', async () => {
  const change = layer('change', (call, next) => {
    const { hive } = call.input as { hive: string }
    call.input = hive === 'number' ? { hive: 4 } : { hive: `${hive}-04` }
    return next()
  })
  const hives = template('t://{hive}', { name: 't', about: 't', layers: [change], read: ({ hive }) => hive })
  const link = await connect(defineKit({ name: 'k', version: '1.0.0', parts: [hives] }), { report: () => {} })
  expect((await link.read('t://ML')).contents).toMatchObject([{ text: 'ML-04' }])
  await expect(link.read('t://number')).rejects.toThrow(/failed/)
  await link.close()
})

test.each<[string, Parameters<typeof layer>[1], RegExp]>([
  [
    'throws',
    () => {
      throw new Error('broken')
    },
    /broken/,
  ],
  [
    'puts an input there that the schema refuses',
    (call, next) => {
      call.input = { hive: 'X' }
      return next()
    },
    /a layer changed the input of weigh/,
  ],
  [
    'forgets to return',
    async (_, next) => {
      await next()
    },
    /the layer "l0" returned undefined, although/,
  ],
  ['returns undefined without going on', () => undefined, /returned undefined: is a "return" missing/],
])('a layer that %s fails the call, and the reason is logged', async (_what, around, logged) => {
  const { result, errors } = await calling([around])
  expect(result).toMatch(/^error: .*\(error [\da-f]{8}\)/)
  expect(errors).toMatch(logged)
})

test('a layer that continues after the call has ended runs nothing', async () => {
  let late: Promise<unknown> | undefined
  const { result, seen } = await calling([
    (_, next) => {
      late = new Promise((resolve) => setTimeout(resolve, 30)).then(next)
      late.catch(() => {})
      return 'early'
    },
  ])
  expect(result).toBe('early')
  await expect(late).rejects.toThrow(/called next\(\) for weigh after the call was over/)
  expect(seen).toStrictEqual([])
})

test('only and methods select the calls of a layer; names and lists are checked', async () => {
  const order: string[] = []
  const around = layer(
    'tagged',
    (call, next) => {
      order.push(call.part.name)
      return next()
    },
    {
      only: ['tag:slow', 'find_*'],
    },
  )
  const run = () => 'x'
  const kit = defineKit({
    name: 'k',
    version: '1.0.0',
    layers: [
      around,
      layer(
        'reads',
        (_, next) => {
          order.push('read')
          return next()
        },
        { methods: ['resources/read'] },
      ),
    ],
    parts: [
      tool('find_hive', { ...read, run }),
      tool('weigh', { ...read, run }),
      tool('count', { ...read, tags: ['slow'], run }),
    ],
  })
  const link = await connect(kit)
  for (const name of ['find_hive', 'weigh', 'count'] as const) await link.call(name)
  await link.close()
  expect(order).toStrictEqual(['find_hive', 'count'])
  expect(() => layer('a b', () => 1)).toThrow(/not a valid name for a layer/)
  expect(() => defineKit({ name: 'k', version: '1', layers: [() => 1] as never, parts: [] })).toThrow(
    /layers made by layer\(\)/,
  )
})

test('the work of layers is an upstream record for hosts that request it', async () => {
  const records: unknown[] = []
  const noting = layer('noting', (_, next, note) => {
    note('delayed', { ms: 5 })
    return next()
  })
  const kit = defineKit({
    name: 'k',
    version: '1',
    layers: [noting],
    parts: [tool('weigh', { ...read, run: () => 'x' })],
  })
  const link = await connect(kit, { onUpstream: (record) => void records.push(record) })
  await link.call('weigh')
  await link.close()
  expect(records).toMatchObject([{ kind: 'layer', label: 'noting', status: 'delayed', detail: { ms: 5 } }])
})
