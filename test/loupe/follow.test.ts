import { loupeApp } from '../../src/loupe/app.js'
import { Bench } from '../../src/loupe/bench.js'

const turn = () => new Promise((done) => setImmediate(done))

/** Opens the stream of a page, and reads it until a text arrives. */
async function follow(bench: Bench, lastEventId?: string) {
  const headers: Record<string, string> = { host: '127.0.0.1:1', 'x-jexo-token': 'wax' }
  if (lastEventId !== undefined) headers['last-event-id'] = lastEventId
  const response = await loupeApp({ bench, token: 'wax', page: '.' }).request('/api/follow', { headers })
  const reader = response.body?.pipeThrough(new TextDecoderStream()).getReader()
  let text = ''
  const until = async (wanted: string) => {
    while (!text.includes(wanted)) {
      const { value, done } = (await reader?.read()) ?? {}
      if (done) throw new Error(`The stream ended before ${wanted}.`)
      text += value
    }
    return text
  }
  return { until, end: () => reader?.cancel() }
}

test('a page that reads slowly receives what changes before its first read', async () => {
  const bench = new Bench()
  bench.journal.add('t1', { kind: 'stderr', text: 'first' })
  const page = await follow(bench)
  await turn()
  bench.journal.add('t1', { kind: 'stderr', text: 'second' })
  bench.takeTape('bees.tape.jsonl', '{"version":1,"kind":"tape"}\n')
  await turn()
  const text = await page.until('bees.tape.jsonl')
  await page.until('"second"')
  bench.journal.add('t1', { kind: 'stderr', text: 'third' })
  const all = await page.until('"third"')
  expect(text).toContain('event: bench')
  for (const word of ['first', 'second', 'third']) expect(all.split(`"text":"${word}"`)).toHaveLength(2)
  await page.end()
})

test.each([
  ['2', ['third']],
  ['0', ['first', 'second', 'third']],
  ['nonsense', ['first', 'second', 'third']],
  ['-7', ['first', 'second', 'third']],
])('a page that has read up to event %s receives the rest', async (id, rest) => {
  const bench = new Bench()
  for (const text of ['first', 'second', 'third']) bench.journal.add('t1', { kind: 'stderr', text })
  const page = await follow(bench, id)
  const text = await page.until('"third"')
  expect([...text.matchAll(/"text":"(\w+)"/g)].map(([, word]) => word)).toStrictEqual(rest)
  await page.end()
})
