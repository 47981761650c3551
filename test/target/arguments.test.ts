import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileArgument } from '../../src/target/argument-files.js'
import { readArguments } from '../../src/target/arguments.js'
import { newFolder } from '../support/cli.js'

const folder = newFolder()
writeFileSync(join(folder, 'note.txt'), 'calm bees\n')
writeFileSync(join(folder, 'frame.png'), Buffer.from([0x89, 0x50, 0xff]))
writeFileSync(join(folder, 'hives.json'), '["ML-01", "ML-02"]')

const schema = {
  type: 'object',
  properties: {
    hive: {
      type: 'object',
      properties: { code: { type: 'string' }, kg: { type: 'number' }, queen: { $ref: '#/$defs/Queen' } },
    },
    either: { anyOf: [{ type: 'null' }, { type: 'object', properties: { site: { type: 'string' } } }] },
    labels: { type: 'object', additionalProperties: { type: 'integer' } },
    codes: { type: 'array', items: { type: 'string' } },
    photo: { type: 'string', contentEncoding: 'base64' },
    note: { type: 'string' },
    count: { type: 'integer' },
    'a.b': { type: 'boolean' },
  },
  additionalProperties: false,
  $defs: { Queen: { type: 'object', properties: { year: { type: 'integer' } } } },
}

test.each<[string[], object]>([
  [['count=4', 'note=4'], { count: 4, note: '4' }],
  [['codes=a', 'codes=b'], { codes: ['a', 'b'] }],
  [['codes=a'], { codes: ['a'] }],
  [
    ['hive.code=7', 'hive.kg=41.5', 'hive.queen.year=2025'],
    { hive: { code: '7', kg: 41.5, queen: { year: 2025 } } },
  ],
  [['either.site=Ivy'], { either: { site: 'Ivy' } }],
  [['labels.red=3', 'labels.__proto__=4'], { labels: JSON.parse('{"red":3,"__proto__":4}') }],
  [['a.b=true'], { 'a.b': true }],
  [['note=@@keeper'], { note: '@keeper' }],
  [['note=@'], { note: '@' }],
  [[`note=@${join(folder, 'note.txt')}`], { note: 'calm bees\n' }],
  [[`photo=@${join(folder, 'frame.png')}`], { photo: 'iVD/' }],
  [[`codes=@${join(folder, 'hives.json')}`], { codes: ['ML-01', 'ML-02'] }],
])('%j', (words, wanted) => {
  expect(readArguments('weigh', schema, words)).toStrictEqual(wanted)
})

test('words override an object of JSON', () => {
  expect(
    readArguments('weigh', schema, ['hive.kg=5'], '{ "hive": { "code": "ML", "kg": 1 }, "count": 2 }'),
  ).toStrictEqual({
    hive: { code: 'ML', kg: 5 },
    count: 2,
  })
})

test.each<[string, RegExp]>([
  ['hiv=4', /weigh has no argument "hiv"; its arguments are "hive", "either"/],
  ['hive.weight=4', /weigh has no argument "hive.weight"/],
  ['note.more=4', /weigh has no argument "note.more"/],
  ['note', /cannot be read|name=value/],
  [
    'note=@missing.txt',
    /missing\.txt: there is no such file; check the path; to pass text that begins with @, write @@/,
  ],
])('%s is refused', (word, message) => {
  expect(() => readArguments('weigh', schema, [word])).toThrow(message)
})

test('a tool that accepts any property keeps names with dots', () => {
  expect(readArguments('any', {}, ['site.name=Ivy'])).toStrictEqual({ 'site.name': 'Ivy' })
})

test('a folder given as a file is refused', () => {
  expect(() => fileArgument({}, `@${folder}`)).toThrow(/there is no such file/)
})
