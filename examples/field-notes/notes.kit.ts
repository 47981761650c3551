/** Field notes of the Marsh Lane beekeepers: a folder of Markdown and a database, searched together. */
import { defineKit, prompt, Refusal, shared, tool } from 'jexo'
import { openDatabase, type SqlDatabase, wrapSql } from 'jexo/sql'
import { z } from 'zod'
import { book } from './book.ts'
import { takeIn } from './take-in.ts'

const folder = new URL('./notes/', import.meta.url)
const site = z.enum(['Marsh Lane', 'Quarry Field', 'Orchard End']).describe('Site of the co-op')

/** Notes are imported before the first question is answered. Progress is written to stderr. */
const notes = shared(
  async () => {
    const database = await openDatabase(book)
    const taken = await takeIn(database, folder, (done, all, file, isChanged) => {
      if (isChanged) console.error(`field notes: ${done} of ${all}, ${file} taken in`)
    })
    for (const reason of taken.skipped) console.error(`field notes: left out ${reason}`)
    return database
  },
  (database) => database.close(),
  { atStart: true },
)

const findNotes = tool('find_notes', {
  title: 'Find in the notes',
  about:
    'Passages of the field notes that have these words, the best first: what was seen at the hives, when and where.',
  input: z.object({
    words: z.string().min(2).max(200).describe('Words to look for, such as swarm cells'),
    site: site.optional().describe('Only of this site'),
  }),
  output: z.object({
    passages: z.array(
      z.object({ file: z.string(), heading: z.string(), site: z.string(), on: z.string(), text: z.string() }),
    ),
  }),
  effect: 'read',
  source: notes,
  examples: [{ input: { words: 'swarm cells' } }],
  async run({ words, site }, call) {
    const database = await call.use(notes)
    return { passages: await passagesWith(database, words, site, call) }
  },
})

const takeInNotes = tool('take_in_notes', {
  title: 'Reload the notes',
  about: 'Reloads the folder of notes: adds new and changed notes, and removes deleted ones.',
  output: z.object({ notes: z.number(), changed: z.number(), gone: z.number(), skipped: z.array(z.string()) }),
  effect: 'change',
  async run(_, call) {
    const database = await call.use(notes)
    return takeIn(database, folder, (done, all, file) => call.progress(done, all, file), call)
  },
})

const seasonReview = prompt('season_review', {
  title: 'Review of a season',
  about: 'Asks for a review of one year at a site, from what was counted and what was noted.',
  input: z.object({ site, year: z.enum(['2025', '2026']).describe('Year, such as 2025') }),
  async run({ site, year }, call) {
    const database = await call.use(notes)
    const during = { site, from: `${year}-01-01`, to: `${year}-12-31` }
    const counted = await database.rows(
      'select "on", foragers from counts where site = :site and "on" between :from and :to order by "on"',
      during,
      call,
    )
    const noted = await database.rows(
      'select notes."on", heading, body from passages join notes using (file) where site = :site and notes."on" between :from and :to order by notes."on", passages.id',
      during,
      call,
    )
    if (counted.length + noted.length === 0)
      throw new Refusal(`Nothing was counted or noted at ${site} in ${year}.`)
    return [
      `Review the year ${year} at ${site} in at most 200 words: what the colonies did, what went wrong, what to do next year.`,
      `Counted (foragers a minute at noon):\n${counted.map(({ on, foragers }) => `${on}: ${foragers}`).join('\n')}`,
      `Noted:\n${noted.map(({ on, heading, body }) => `${on}, ${heading}: ${body}`).join('\n')}`,
    ].join('\n\n')
  },
})

/** Each word is quoted, so that punctuation is not read as search syntax. */
async function passagesWith(
  database: SqlDatabase,
  words: string,
  site: string | undefined,
  call: Parameters<SqlDatabase['rows']>[2],
) {
  const wanted = (words.match(/[\p{L}\p{N}]+/gu) ?? []).map((word) => `"${word}"`)
  if (wanted.length === 0) throw new Refusal('Give a word to look for, with letters or digits.')
  const select = (query: string) =>
    database.rows(
      `select passages.file, passages.heading, notes.site, notes."on", passages.body as text from words
       join passages on passages.id = words.rowid join notes on notes.file = passages.file
       where words match :query and (:site is null or notes.site = :site) order by rank limit 8`,
      { query, site: site ?? null },
      call,
    )
  // Passages with all of the words; if there are none, passages with any of them.
  const all = await select(wanted.join(' '))
  const found = all.length > 0 ? all : await select(wanted.join(' OR '))
  return found.map(({ file, heading, site, on, text }) => ({
    file: String(file),
    heading: String(heading),
    site: String(site),
    on: String(on),
    text: String(text),
  }))
}

export default defineKit({
  name: 'field-notes',
  version: '1.0.0',
  title: 'Field notes',
  about: 'What the Marsh Lane beekeepers noted in the field, and what they counted.',
  parts: [
    findNotes,
    takeInNotes,
    seasonReview,
    // Rows as resources: book://notes/{file}, book://passages/{id}, book://counts/{id}.
    ...(await wrapSql(book, { queries: [new URL('./queries.sql', import.meta.url)], except: ['words*'] })),
  ],
})
