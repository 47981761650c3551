import type { Table } from '../../src/wrap/sql/tables.js'
import { placed, type SqlDialect, statementsIn, tokensIn, wordsOf } from '../../src/wrap/sql/tokens.js'
import { argumentsByColumns, originOf, tablesIn } from '../../src/wrap/sql/typing.js'

const column = (name: string, type: string, about?: string) => ({
  ...{ name, type, schema: { type }, isNullable: false },
  ...(about === undefined ? {} : { about }),
})
const table = (name: string, ...columns: ReturnType<typeof column>[]): Table => ({
  ...{ name, bareName: name, isView: false, columns, key: [], references: [] },
})
const tables = [
  table('hives', column('hive', 'string', 'Its code'), column('site', 'string'), column('frames', 'integer')),
  table('batches', column('id', 'integer'), column('hive', 'number'), column('kg', 'number')),
]
const statement = (text: string, dialect: SqlDialect = 'sqlite') => {
  const [found] = statementsIn(text, dialect)
  if (!found) throw new Error('no statement')
  return found
}

describe('the type of a parameter', () => {
  /** `:a` is typed by this column; undefined if nothing types it. */
  test.each([
    ['select 1 from hives where frames = :a', 'integer'],
    ['select 1 from hives where frames >= :a', 'integer'],
    ['select 1 from hives where frames <> :a', 'integer'],
    ['select 1 from hives where "frames" = :a', 'integer'],
    ['select 1 from hives where [frames] = :a', 'integer'],
    ['select 1 from hives where FRAMES = :a', 'integer'],
    ['select 1 from hives where h.frames = :a', 'integer'],
    ['select 1 from hives where site like :a', 'string'],
    ['select 1 from hives where site not like :a', 'string'],
    ['select 1 from hives where site is not :a', 'string'],
    ['select 1 from hives where frames in (:b, :a)', 'integer'],
    ['select 1 from hives where frames in (1, :a)', undefined],
    ['select 1 from hives where frames not in (:a)', 'integer'],
    ['select 1 from hives where frames between :b and :a', 'integer'],
    ['select 1 from hives where frames between 1 and :a', undefined],
    ['select 1 from hives where :a = frames', 'integer'],
    ['select 1 from hives where :a >= frames', 'integer'],
    ['select 1 from hives where :a = b.kg', 'number'],
    ['select 1 from hives where :a + frames > 1', undefined],
    ['select 1 from hives where site = :b and :a = frames', 'integer'],
    ['select 1 from hives where unknown = :a', undefined],
    ['select :a', undefined],
    ['select 1 where (:a)', undefined],
    ['insert into batches (id, kg) values (1, :a)', 'number'],
    ['insert into batches ("id", "kg") values (:a, 1)', 'integer'],
    ['insert into batches (id, kg) values (1, 2), (:b, :a)', 'number'],
    ['insert into batches (id, kg) values (round(:b, 1), round(:a, 1))', 'number'],
    ['insert into batches (id, kg) values (1, 2) returning :a', undefined],
    ['insert into batches select :a', undefined],
    ['insert into batches (id) select :a', undefined],
    ['update batches set kg = :a', 'number'],
  ])('%s: %s', (text, type) => {
    const found = argumentsByColumns(statement(text), tables).get('a')
    expect(found?.schema).toStrictEqual(type === undefined ? undefined : { type })
  })

  test.each(['limit :a', 'limit 5 offset :a', 'LIMIT :a'])('%s is a count', (text) => {
    expect(argumentsByColumns(statement(`select 1 from hives ${text}`), tables).get('a')).toStrictEqual({
      ...{ schema: { type: 'integer', minimum: 0 }, isCount: true },
    })
  })

  test('has the comment of its column, and is that of its first use', () => {
    const found = argumentsByColumns(
      statement('select 1 from hives where hive = :a and frames = :a and site = :b'),
      tables,
    )
    expect([...found]).toStrictEqual([
      ['a', { schema: { type: 'string' }, about: 'Its code' }],
      ['b', { schema: { type: 'string' } }],
    ])
  })
})

test('a statement names tables as words or quoted, in any case', () => {
  const names = (text: string) => tablesIn(statement(text), tables).map(({ name }) => name)
  expect(names('select * from Hives')).toStrictEqual(['hives'])
  expect(names('select * from "batches", [hives]')).toStrictEqual(['hives', 'batches'])
  expect(names("select 'hives' -- batches")).toStrictEqual([])
})

test('a result column is the one that the database reports, or the only one of its name', () => {
  const schema = {}
  const of = (name: string, more: object = {}) => originOf({ name, schema, ...more }, tables)?.schema.type
  expect(of('x', { table: 'batches', column: 'hive' })).toBe('number')
  expect(of('x', { table: 'nothing', column: 'hive' })).toBeUndefined()
  expect(of('kg', { table: 'hives', column: 'nothing' })).toBeUndefined()
  expect(of('KG')).toBe('number')
  expect(of('kg', { table: 'hives' })).toBe('number')
  expect(of('hive')).toBeUndefined()
})

describe('words of SQL', () => {
  test.each<[SqlDialect, string, string[]]>([
    [
      'postgres',
      "/* a /* b */ c */ select 'it''s' -- x",
      ['comment', 'space', 'word', 'space', 'string', 'space', 'comment'],
    ],
    ['postgres', '/* open /* a */ select', ['comment']],
    ['sqlite', '/* a /* b */ c', ['comment', 'space', 'word']],
    ['mysql', '/* a /* b */ c', ['comment', 'space', 'word']],
    ['postgres', 'a::text', ['word', 'other', 'word']],
    ['postgres', '$x$ a; $x$;', ['string', 'end']],
    ['mysql', '# a\n1--1', ['comment', 'space', 'number', 'other', 'other', 'number']],
    ['mysql', '"a\\"b" `c``d`', ['string', 'space', 'name']],
    ['sqlite', '"a""b" `c` [d]', ['name', 'space', 'name', 'space', 'name']],
    ['sqlite', "'open ; 1", ['string']],
  ])('%s: %s', (dialect, text, kinds) => {
    const tokens = tokensIn(text, dialect)
    expect(tokens.map(({ kind }) => kind)).toStrictEqual(kinds)
    expect(tokens.map((token) => token.text).join('')).toBe(text)
    expect(tokens.map(({ at }) => at)).toStrictEqual(
      tokens.map((_, at) => tokens.slice(0, at).reduce((sum, token) => sum + token.text.length, 0)),
    )
  })

  test('nested comments of PostgreSQL end with their own end', () => {
    expect(tokensIn('/*/* a */*/b/**/', 'postgres').map(({ text }) => text)).toStrictEqual([
      '/*/* a */*/',
      'b',
      '/**/',
    ])
  })

  test('statements have their comments, text and position; text without code is none', () => {
    const found = statementsIn('-- one\n select 1 ; -- nothing\n;\n/* two */ select 2 -- end', 'sqlite')
    expect(found.map(({ text, at, head }) => [text, at, head.map((token) => token.text).join('')])).toStrictEqual([
      ['select 1', 8, '-- one\n '],
      ['select 2 -- end', 42, '\n/* two */ '],
    ])
    expect(wordsOf(statement('select "from", \'where\', 1 as x'))).toStrictEqual(['SELECT', 'AS', 'X'])
  })

  test.each<[SqlDialect, string, string[]]>([
    ['sqlite', 'select ?1, ?2, ?1', ['a', 'b']],
    ['postgres', 'select $1, $2, $1', ['a', 'b']],
    ['mysql', 'select ?, ?, ?', ['a', 'b', 'a']],
  ])('%s has placeholders of its own', (dialect, text, names) => {
    expect(placed(statement(' select :a, :b, :a ', dialect), dialect)).toStrictEqual({ text, names })
  })

  test.each<[SqlDialect, string, string[]]>([
    ['sqlite', 'select ?1, ?2, ?3 in (?2, ?3)', ['a', 'b', 'b']],
    ['postgres', 'select $1, $2, $3 in ($2, $3)', ['a', 'b', 'b']],
    ['mysql', 'select ?, ?, ? in (?, ?)', ['a', 'b', 'b', 'b', 'b']],
  ])('%s has a placeholder for each item of a list', (dialect, text, names) => {
    expect(placed(statement('select :a, :b in (:b)', dialect), dialect, { b: 2 })).toStrictEqual({ text, names })
  })
})
