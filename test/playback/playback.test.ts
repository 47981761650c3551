import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { content, defineKit, Refusal, resource, template, tool } from 'jexo'
import type { Link, LinkOptions } from 'jexo/link'
import { connect } from 'jexo/node'
import { kitFromTape } from 'jexo/testing'
import { z } from 'zod'
import type { Message } from '../../src/protocol/messages.js'
import { newFolder } from '../support/cli.js'

let readings = 41
const kit = defineKit({
  name: 'hives',
  version: '3.0.0',
  about: 'Weighs hives.',
  parts: [
    tool('weigh', {
      about: 'Weighs a hive.',
      input: z.object({ hive: z.string(), unit: z.string().optional() }),
      output: z.object({ kg: z.number() }),
      effect: 'read',
      run: ({ hive }) => {
        if (hive === 'none') throw new Refusal('There is no such hive.')
        return { kg: readings++ }
      },
    }),
    tool('survey', {
      about: 'Weighs all hives.',
      effect: 'read',
      async run(_, call) {
        call.progress(1, 2, 'half')
        call.log.warning('slow scale')
        const { action } = await call.askPerson('Go on?', z.object({ yes: z.boolean() }))
        call.progress(2, 2)
        return content.text(`survey: ${action}`)
      },
    }),
    resource('hives://ML-04', { name: 'ML-04', about: 'A hive.', read: () => 'forty' }),
    template('hives://{code}/log', { name: 'log', about: 'A log.', read: ({ code }) => `log of ${code}` }),
  ],
})

const folder = newFolder()
const tape = join(folder, 'hives.tape.jsonl')
const links: Link[] = []
const open = async (options: LinkOptions = {}, given: Parameters<typeof kitFromTape>[1] = { speed: 0 }) => {
  const link = await connect(await kitFromTape(tape, given), options)
  links.push(link)
  return link
}
afterEach(() => Promise.all(links.splice(0).map((link) => link.close())))

beforeAll(async () => {
  const lines: object[] = [{ version: 1, kind: 'tape', startedAt: '2026-06-02T06:00:00Z', writer: 'test' }]
  let at = 1000
  const onMessage = (message: Message, from: 'client' | 'server') => {
    at += 'method' in message ? 1 : 200
    lines.push({ kind: 'message', from, message, bytes: 1, at, target: 'one' })
  }
  const link = await connect(kit, { onMessage, onQuestion: () => ({ action: 'accept', content: { yes: true } }) })
  await link.tools()
  await link.resources()
  await link.templates()
  await link.call('weigh', { hive: 'ML-04', unit: 'kg' })
  await link.call('weigh', { hive: 'ML-04', unit: 'kg' })
  await link.call('weigh', { hive: 'none' })
  await link.call('survey', {}, { onProgress: () => {} })
  await link.read('hives://ML-04')
  await link.read('hives://QF-01/log')
  await link.close()
  // A second session with the same server: sessions of one server are played back together.
  const other = await connect(kit, {
    onMessage: (message, from) =>
      void lines.push({ kind: 'message', from, message, bytes: 1, at: at++, target: 'two' }),
  })
  await other.call('weigh', { hive: 'OE-09' })
  await other.close()
  writeFileSync(tape, `${lines.map((line) => JSON.stringify(line)).join('\n')}\n`)
})

test('a tape answers like the recorded server: lists, results in order, refusals, resources', async () => {
  const link = await open()
  expect(link.serverInfo).toMatchObject({ name: 'hives', version: '3.0.0' })
  expect((await link.tools()).map(({ name }) => name)).toStrictEqual(['weigh', 'survey'])
  const kilograms = async () => (await link.call('weigh', { unit: 'kg', hive: 'ML-04' })).structuredContent
  expect([await kilograms(), await kilograms(), await kilograms()]).toStrictEqual([
    { kg: 41 },
    { kg: 42 },
    { kg: 42 },
  ])
  expect(await link.call('weigh', { hive: 'none' })).toMatchObject({
    isError: true,
    content: [{ text: 'There is no such hive.' }],
  })
  expect(await link.call('weigh', { hive: 'OE-09' })).toMatchObject({ structuredContent: { kg: 43 } })
  const first = await open({}, { speed: 0, target: 'one' })
  await expect(first.call('weigh', { hive: 'OE-09' })).rejects.toMatchObject({ code: -32602 })
  expect((await link.read('hives://ML-04')).contents).toMatchObject([{ text: 'forty' }])
  expect((await link.read('hives://QF-01/log')).contents).toMatchObject([{ text: 'log of QF-01' }])
})

test('progress, log messages and questions are replayed', async () => {
  const asked: string[] = []
  const logged: unknown[] = []
  const progress: unknown[] = []
  const link = await open({
    onQuestion: ({ message }) => {
      asked.push(message)
      return { action: 'decline' }
    },
    onLog: (message) => logged.push(message.data),
  })
  const result = await link.call('survey', {}, { onProgress: (one) => progress.push(one) })
  // The recorded answer counts, not the new one.
  expect(result.content).toMatchObject([{ text: 'survey: accept' }])
  expect({ asked, logged, progress }).toStrictEqual({
    asked: ['Go on?'],
    logged: ['slow scale'],
    progress: [
      { progress: 1, total: 2, message: 'half' },
      { progress: 2, total: 2 },
    ],
  })
})

test('a call that was not recorded is refused with the closest recorded one', async () => {
  const link = await open()
  await expect(link.call('weigh', { hive: 'ML-05', unit: 'kg' })).rejects.toMatchObject({
    code: -32602,
    message: expect.stringMatching(/has no tools\/call .*ML-05.*; the nearest is .*ML-04/),
  })
  await expect(link.read('hives://none/log')).rejects.toMatchObject({
    message: expect.stringContaining('The recording has no'),
  })
})

test('delays are replayed as recorded or faster, and a cancelled call ends at once', async () => {
  const link = await open({}, { speed: 4 })
  const startedAt = performance.now()
  await link.call('weigh', { hive: 'none' })
  // 200 ms on the tape.
  expect(performance.now() - startedAt).toBeGreaterThan(40)
  const slow = await open({}, { speed: 0.001 })
  const controller = new AbortController()
  const call = slow.call('weigh', { hive: 'none' }, { signal: controller.signal })
  controller.abort()
  await expect(call).rejects.toThrow()
})

test.each([
  ['a file that is not there', join(folder, 'none.tape.jsonl'), undefined, 'tape-unreadable'],
  ['a tape without a session', 'empty', '', 'tape-without-server'],
  ['a line that is no entry', 'broken', '{"kind":"message"}\n', 'tape-unreadable'],
])('%s is refused', async (_name, name, more, code) => {
  const file = more === undefined ? name : join(folder, `${name}.tape.jsonl`)
  if (more !== undefined) writeFileSync(file, `{"version":1,"kind":"tape","startedAt":"","writer":""}\n${more}`)
  await expect(kitFromTape(file)).rejects.toMatchObject({ code })
})

test('a target that the tape does not have, and an invalid speed, are refused', async () => {
  await expect(kitFromTape(tape, { target: 'three' })).rejects.toMatchObject({
    code: 'tape-without-server',
    message: expect.stringContaining('"one"'),
  })
  const link = await open({}, { speed: -1 })
  expect(await link.call('weigh', { hive: 'none' })).toMatchObject({ isError: true })
})

test('a tape of 50,000 unanswered requests is read quickly', async () => {
  const file = join(folder, 'open.tape.jsonl')
  const line = (message: object, from: string, at: number) =>
    JSON.stringify({ kind: 'message', from, message: { jsonrpc: '2.0', ...message }, bytes: 1, at, target: 'one' })
  const lines = ['{"version":1,"kind":"tape","startedAt":"","writer":""}']
  lines.push(
    line({ id: 0, method: 'initialize', params: {} }, 'client', 1),
    line({ id: 0, result: { serverInfo: { name: 'a', version: '1' } } }, 'server', 2),
  )
  for (let id = 1; id <= 50_000; id++)
    lines.push(line({ id, method: 'tools/call', params: { name: 'a' } }, 'client', id))
  lines.push(line({ id: 50_000, result: { content: [] } }, 'server', 60_000))
  writeFileSync(file, `${lines.join('\n')}\n`)
  const link = await connect(await kitFromTape(file, { speed: 0 }))
  links.push(link)
  expect(await link.call('a')).toStrictEqual({ content: [] })
})
