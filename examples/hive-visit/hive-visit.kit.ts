/**
 * Visits to the Marsh Lane hives, with a page in the chat: the user chooses a hive and records a visit, and the model
 * gets the result.
 */
import { defineKit, Refusal, template, tool, view } from 'jexo'
import { z } from 'zod'
import { sites } from '../apiary/data/marsh-lane.ts'
import { hiveDrawing } from './drawing.ts'
import { VisitBook } from './visit-book.ts'

const book = new VisitBook()

const hiveCode = z
  .string()
  .regex(/^ML-\d\d$/)
  .describe('Hive code, such as ML-04')
const day = z.iso.date()
const site = z.enum(sites)
const place = z.object({ x: z.number(), y: z.number() }).describe('Place on the map, 0 to 100')

const hiveVisit = view('ui://hive-visit/choose', {
  about: 'A map and cards of the hives, the visits of the chosen one, and a form to record another.',
  page: new URL('./page/index.html', import.meta.url),
  prefersBorder: true,
})

const planVisit = tool('plan_hive_visit', {
  title: 'Plan a hive visit',
  about:
    'Shows the hives of the co-op with their last visit and weight, so that the keeper can choose one and record a visit.',
  input: z.object({ site: site.optional().describe('Only hives at this site') }),
  output: z.object({
    hives: z.array(
      z.object({
        hive: z.string(),
        site,
        keeper: z.string(),
        queenYear: z.number().int(),
        lastVisit: day,
        strength: z.number().int().describe('0 (lost) to 100 (bursting)'),
        place,
      }),
    ),
  }),
  effect: 'read',
  view: hiveVisit,
  examples: [
    {
      input: { site: 'Quarry Field' },
      output: {
        hives: [
          {
            ...{ hive: 'ML-05', site: 'Quarry Field', keeper: 'Ada Fenn', queenYear: 2024 },
            ...{ lastVisit: '2026-05-27', strength: 71, place: { x: 44, y: 30 } },
          },
        ],
      },
    },
  ],
  run: ({ site }) => ({ hives: book.hives(site) }),
})

const visit = z.object({
  on: day.describe('Day of the visit, such as 2026-06-02'),
  framesOfBees: z.number().int().min(0).max(24).describe('Frames that are covered with bees, such as 9'),
  framesOfBrood: z.number().int().min(0).max(24).describe('Frames that hold brood, such as 6'),
  queenSeen: z.boolean().describe('Whether the queen was seen'),
  note: z.string().describe('What the keeper saw, such as "calm on the comb"'),
})

const listVisits = tool('list_hive_visits', {
  title: 'List visits to a hive',
  about: 'Lists the recorded visits to one hive, newest first, optionally between two dates.',
  input: z.object({
    hive: hiveCode,
    from: day.optional().describe('First day, such as 2026-04-01'),
    to: day.optional().describe('Last day, such as 2026-06-02'),
  }),
  output: z.object({ hive: z.string(), visits: z.array(visit) }),
  effect: 'read',
  forPages: 'too',
  examples: [
    {
      input: { hive: 'ML-05' },
      output: {
        hive: 'ML-05',
        visits: [
          { on: '2026-05-27', framesOfBees: 9, framesOfBrood: 6, queenSeen: true, note: 'Calm on the comb.' },
        ],
      },
    },
  ],
  run({ hive, from = '', to = '9999-12-31' }) {
    if (from > to) throw new Refusal(`The first day, ${from}, is after the last, ${to}.`)
    return { hive, visits: known(hive).filter(({ on }) => on >= from && on <= to) }
  },
})

const recordVisit = tool('record_hive_visit', {
  title: 'Record a visit',
  about: 'Records a visit to one hive in the book of the co-op. Each hive has one visit a day at most.',
  input: z.object({ hive: hiveCode, ...visit.partial({ note: true }).shape }),
  output: z.object({ hive: z.string(), on: day, visits: z.number().int() }),
  effect: 'change',
  // The user has filled in and confirmed a form; a model cannot write into the book.
  forPages: 'only',
  run({ hive, note = '', ...rest }) {
    const visits = known(hive)
    if (visits.some(({ on }) => on === rest.on)) throw new Refusal(`${hive} was visited on ${rest.on} already.`)
    return { hive, on: rest.on, visits: book.record(hive, { ...rest, note }) }
  },
})

function known(hive: string) {
  const visits = book.visits(hive)
  if (!visits) throw new Refusal(`There is no hive ${hive}; there are ML-01 to ML-12.`)
  return visits
}

const drawings = template('hive-drawing://{hive}', {
  name: 'hive_drawing',
  about: 'A drawing of one hive, as SVG.',
  mimeType: 'image/svg+xml',
  read({ hive = '' }) {
    const [found] = book.hives().filter((one) => one.hive === hive)
    if (!found) throw new Refusal(`There is no hive ${hive}.`)
    return hiveDrawing(hive, found.strength)
  },
})

export default defineKit({
  name: 'hive-visit',
  version: '1.0.0',
  title: 'Hive visits',
  about: 'Plans and records visits to the Marsh Lane hives.',
  parts: [planVisit, listVisits, recordVisit, drawings],
})
