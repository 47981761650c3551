import { chooseOperations } from '../../src/wrap/http-api/choose.js'

const operations = [
  ['list_hives', 'GET', '/hives', 'read', ['hives']],
  ['probe_hives', 'HEAD', '/hives', 'read', ['hives']],
  ['add_hive', 'POST', '/hives', 'add', ['hives']],
  ['move_hive', 'PUT', '/hives/{hive}/place', 'change', ['moves']],
  ['remove_hive', 'DELETE', '/hives/{hive}', 'remove', ['hives']],
].map(([name, method, path, effect, tags]) => ({ name, effect, operation: { method, path, tags } })) as Parameters<
  typeof chooseOperations
>[0]

const rows: [string, Parameters<typeof chooseOperations>[1], string[]][] = [
  ['nothing', {}, ['list_hives']],
  ['a write by its name', { only: ['add_hive'] }, ['add_hive']],
  ['a glob, which takes no writes', { only: ['*_hive', 'list_*'] }, ['list_hives']],
  ['a tag, which takes no writes', { only: ['tag:hives'] }, ['list_hives']],
  ['a path, which takes no writes', { only: ['/hives*'] }, ['list_hives']],
  ['a method, which takes no writes', { only: ['method:post', 'method:get'] }, ['list_hives']],
  ['all writes', { writes: true }, ['list_hives', 'add_hive', 'move_hive', 'remove_hive']],
  ['a glob and all writes', { only: ['*_hive'], writes: true }, ['add_hive', 'move_hive', 'remove_hive']],
  ['some writes', { writes: ['move_*'] }, ['list_hives', 'move_hive']],
  ['reads and some writes beside them', { only: ['list_hives'], writes: ['move_*'] }, ['list_hives', 'move_hive']],
  ['all writes but one', { writes: true, except: ['remove_hive'] }, ['list_hives', 'add_hive', 'move_hive']],
  ['an exception to what is named', { only: ['add_hive', 'list_hives'], except: ['add_*'] }, ['list_hives']],
  ['a probe by its name', { only: ['probe_hives'] }, ['probe_hives']],
]

test.each(rows)('%s selects exactly these operations', (_what, options, chosen) => {
  const skipped = chooseOperations(operations, options)
  expect(operations.filter((one) => !skipped.has(one)).map(({ name }) => name)).toStrictEqual(chosen)
})

test('a pattern that selects nothing is an error', () => {
  expect(() => chooseOperations(operations, { only: ['list_swarms'] })).toThrow('list_swarms')
})
