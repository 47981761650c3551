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
