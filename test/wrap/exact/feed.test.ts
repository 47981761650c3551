import { defineKit } from 'jexo'
import { wrapFeed } from 'jexo/feed'
import { connect } from 'jexo/node'
import { patternsOf } from '../../../src/wrap/feed/topics.js'

const many = (count: number, topic: (at: number) => string) =>
  Array.from({ length: count }, (_, at) => topic(at + 1))
const sites = ['marsh', 'quarry', 'orchard', 'moor']

test.each<[string, string[], string[]]>([
  ['one topic', ['scales/weight'], ['scales/weight']],
  ['things between', ['scales/ML-01/weight', 'scales/ML-02/weight'], ['scales/{scale}/weight']],
  [
    'what they measure stays apart',
    ['scales/a/weight', 'scales/a/rain', 'scales/b/weight'],
    ['scales/{scale}/weight', 'scales/a/rain'],
  ],
  ['numbered things at the end', many(200, (at) => `status/device-${at}`), ['status/{status}']],
  ['many names at the end', many(12, (at) => `keepers/${'abcdefghijkl'.charAt(at - 1)}`), ['keepers/{keeper}']],
  ['few names at the end', ['site/rain', 'site/wind'], ['site/rain', 'site/wind']],
  ['numbered things at the front', many(3, (at) => `hive${at}/weight`), ['{name}/weight']],
  [
    'a plant of five hundred topics',
    [
      ...many(100, (at) => `apiary/${sites[at % 4]}/hive-${at}/weight`),
      ...many(100, (at) => `apiary/${sites[at % 4]}/hive-${at}/temperature`),
      ...many(200, (at) => `alarms/${at}`),
      ...many(99, (at) => `gateways/gw${at}/online`),
      'apiary/weather',
    ],
    [
      'apiary/{apiary}/{name}/weight',
      'apiary/{apiary}/{name}/temperature',
      'alarms/{alarm}',
      'gateways/{gateway}/online',
      'apiary/weather',
    ],
  ],
])('%s', (_what, topics, patterns) => {
  expect(patternsOf(topics).sort()).toEqual([...patterns].sort())
})

test('a message without the field of its channel keeps the last good reading, and is reported once', async () => {
  const reports: string[] = []
  const source = {
    open(sink: { push(topic: string, value: unknown): void }) {
      for (const message of [{ kg: 41 }, { battery: 1 }, { battery: 0 }]) sink.push('scales/1/weight', message)
      return () => {}
    },
  }
  const parts = await wrapFeed(source as never, {
    name: 'scales',
    channels: { weight: { topic: 'scales/{hive}/weight', field: 'kg' } },
  })
  const link = await connect(defineKit({ name: 'k', version: '1', about: 'x', parts }), {
    report: ({ text }) => void reports.push(text),
  })
  expect(JSON.parse((await link.read('scales://weight/1')).contents[0]?.text ?? '')).toMatchObject({ value: 41 })
  expect(reports.filter((text) => text.includes('has no field "kg"'))).toHaveLength(1)
  await link.close()
})
