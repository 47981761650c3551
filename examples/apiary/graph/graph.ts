import { readFileSync } from 'node:fs'
import { openDatabase, type SqlDatabase } from 'jexo/sql'
import { ledger } from '../ledger/ledger.ts'

const sdl = new URL('./ledger.graphql', import.meta.url)
type Row = Record<string, unknown>

/** A GraphQL endpoint for the ledger, standing in for an existing API. */
export function openGraph(): (request: Request) => Promise<Response> {
  let opened: Promise<{ books: SqlDatabase; answer: (body: Row) => Promise<unknown> }> | undefined
  return async (request) => {
    if (request.method !== 'POST') return new Response('Send a query by POST.', { status: 405 })
    opened ??= openAll()
    opened.catch(() => {
      opened = undefined
    })
    return Response.json(await (await opened).answer((await request.json()) as Row))
  }
}

async function openAll() {
  const { buildSchema, graphql } = await import('graphql')
  const schema = buildSchema(readFileSync(sdl, 'utf8'))
  const books = await openDatabase(ledger)
  const rootValue = {
    hive: async ({ code }: { code: string }) => {
      const [found] = await books.rows('select * from hives where hive = :code', { code })
      return found && hiveOf(books, found)
    },
    hives: async ({ site }: { site?: string }) => {
      const found = await books.rows('select * from hives where :site is null or site = :site order by hive', {
        site,
      })
      return found.map((row) => hiveOf(books, row))
    },
  }
  const answer = ({ query, variables, operationName }: Row) =>
    graphql({
      schema,
      rootValue,
      source: String(query),
      variableValues: (variables ?? {}) as Row,
      operationName: (operationName ?? null) as string | null,
    })
  return { books, answer }
}

const hiveOf = (books: SqlDatabase, { hive, ...rest }: Readonly<Row>) => ({
  ...rest,
  code: hive,
  inspections: ({ last }: { last: number }) =>
    books.rows(
      `select inspected_on as "on", frames_of_brood as "framesOfBrood", frames_of_bees as "framesOfBees",
         stores_kg as "storesKg", note from inspections where hive = :hive order by inspected_on desc limit :last`,
      { hive: String(hive), last },
    ),
  batches: () =>
    books.rows('select id, taken_on as "takenOn", kind, kg from batches where hive = :hive order by taken_on', {
      hive: String(hive),
    }),
})
