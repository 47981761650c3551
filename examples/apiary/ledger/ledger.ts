import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { type SqlDatabase, type StatementCall, sqlDatabase } from 'jexo/sql'
import { type Hive, type Inspection, marshLane, type Site } from '../data/marsh-lane.ts'

const schema = new URL('./schema.sql', import.meta.url)
const held = globalThis as { [slot]?: string }
const slot = Symbol.for('apiary.ledger')

/** By default a new ledger for each run, with the same data; LEDGER_FILE names a file to keep. */
function freshFile(): string {
  if (held[slot]) return held[slot]
  const folder = mkdtempSync(join(tmpdir(), 'apiary-'))
  process.once('exit', () => rmSync(folder, { recursive: true, force: true }))
  held[slot] = join(folder, 'ledger.sqlite')
  return held[slot]
}

/** The co-op's ledger: a SQLite file, filled with generated data if it does not exist. */
export const ledger = sqlDatabase(freshFile(), { name: 'ledger', create: script })

function script(): string {
  const { members, hives, inspections, batches } = marshLane()
  const rows = (table: string, values: readonly (readonly unknown[])[]) =>
    `insert into ${table} values ${values.map((row) => `(${row.map(literal).join(', ')})`).join(',\n')};`
  return [
    readFileSync(schema, 'utf8'),
    rows(
      'members',
      members.map(({ name, joined }) => [name, joined]),
    ),
    rows(
      'hives',
      hives.map(({ hive, site, queen, frames, keeper }) => [hive, site, queen, frames, keeper]),
    ),
    rows(
      'inspections',
      inspections.map(({ id, ...found }) => [id, ...columnsOf(found)]),
    ),
    rows(
      'batches',
      batches.map(({ id, hive, on, kind, kg, moisture }) => [id, hive, on, kind, kg, moisture]),
    ),
  ].join('\n')
}

const columnsOf = ({
  hive,
  on,
  framesOfBrood,
  framesOfBees,
  storesKg,
  queenSeen,
  note,
}: Omit<Inspection, 'id'>) => [hive, on, framesOfBrood, framesOfBees, storesKg, Number(queenSeen), note]
const literal = (value: unknown) => (typeof value === 'number' ? value : `'${String(value).replaceAll("'", "''")}'`)

/** All hives, ordered by code. */
export const allHives = async (books: SqlDatabase, call: StatementCall): Promise<Hive[]> =>
  (await books.rows('select * from hives order by hive', {}, call)) as unknown as Hive[]

/** The last inspection of a hive. */
export async function lastInspection(
  books: SqlDatabase,
  hive: string,
  call: StatementCall,
): Promise<Inspection | undefined> {
  const [found] = await books.rows(
    `select id, hive, inspected_on as "on", frames_of_brood as "framesOfBrood", frames_of_bees as "framesOfBees",
       stores_kg as "storesKg", queen_seen as "queenSeen", note
     from inspections where hive = :hive order by inspected_on desc, id desc limit 1`,
    { hive },
    call,
  )
  return found && ({ ...found, queenSeen: found.queenSeen === 1 } as unknown as Inspection)
}

/** Adds an inspection and returns its number. */
export async function record(
  books: SqlDatabase,
  { hive, on, framesOfBrood, framesOfBees, storesKg, queenSeen, note }: Omit<Inspection, 'id'>,
  call: StatementCall,
): Promise<number> {
  const { rows } = await books.change(
    `insert into inspections (hive, inspected_on, frames_of_brood, frames_of_bees, stores_kg, queen_seen, note)
     values (:hive, :on, :framesOfBrood, :framesOfBees, :storesKg, :queenSeen, :note) returning id`,
    { hive, on, framesOfBrood, framesOfBees, storesKg, queenSeen, note },
    call,
  )
  return Number(rows[0]?.id)
}

/** Changes the site of a hive. */
export const move = (books: SqlDatabase, hive: string, to: Site, call: StatementCall) =>
  books.change('update hives set site = :to where hive = :hive', { hive, to }, call)
