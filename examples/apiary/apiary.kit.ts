/** The Marsh Lane beekeepers' server: scales, inspections, the registry, the field guide. Everything is made up and repeatable. */
import { readFile } from 'node:fs/promises'
import { content, defineKit, prompt, Refusal, resource, setting, shared, template, tool } from 'jexo'
import { wrapModule } from 'jexo/module'
import { wrapOpenApi } from 'jexo/openapi'
import { z } from 'zod'
import { nextInspection, strengthIndex } from './colony.ts'
import { sites } from './data/marsh-lane.ts'
import { type Ledger, openLedger } from './ledger.ts'
import { demoKey, openRegistry } from './registry/app.ts'
import { openScales } from './scales/scales.ts'

const ledger = shared(() => openLedger())
const scales = shared(
  () => openScales(Array.from({ length: 12 }, (_, index) => `ML-${String(index + 1).padStart(2, '0')}`)),
  (opened) => opened.close(),
)

const hiveCode = z
  .string()
  .regex(/^ML-\d\d$/)
  .describe('Hive code, such as ML-04')

function knownHive(books: Ledger, hive: string) {
  const found = books.find(hive)
  if (found) return found
  const number = Number(hive.slice(3))
  const near = books
    .hives()
    .map((known) => known.hive)
    .sort((a, b) => Math.abs(Number(a.slice(3)) - number) - Math.abs(Number(b.slice(3)) - number))
    .slice(0, 3)
  throw new Refusal(`There is no hive ${hive}. The nearest codes are ${near.join(', ')}; there are ML-01 to ML-12.`)
}

const weighHive = tool('weigh_hive', {
  title: 'Weigh a hive',
  about: 'Latest reading of the scale under one hive, in kilograms.',
  input: z.object({ hive: hiveCode }),
  output: z.object({ kg: z.number(), at: z.string() }),
  effect: 'read',
  tags: ['scale'],
  examples: [{ input: { hive: 'ML-04' }, output: { kg: 41.2, at: '2026-06-02T06:00:00Z' } }],
  async run({ hive }, call) {
    knownHive(await call.use(ledger), hive)
    const reading = (await call.use(scales)).latest(hive)
    if (!reading) throw new Refusal(`The scale under ${hive} has not reported yet; try again in a few seconds.`)
    return reading
  },
})

const weighSite = tool('weigh_site', {
  title: 'Weigh a site',
  about: 'Weighs every hive of one site, one after the other, and gives the readings and their sum in kilograms.',
  input: z.object({ site: z.enum(sites).describe('Where the hives stand') }),
  output: z.object({
    readings: z.array(z.object({ hive: z.string(), kg: z.number(), at: z.string() })),
    totalKg: z.number(),
  }),
  effect: 'read',
  tags: ['scale'],
  examples: [{ input: { site: 'Quarry Field' } }],
  async run({ site }, call) {
    const readings: { hive: string; kg: number; at: string }[] = []
    const open = await call.use(scales)
    const hives = (await call.use(ledger)).hives().filter((hive) => hive.site === site)
    for (const { hive } of hives) {
      await pause(120, call.signal)
      const reading = open.latest(hive)
      if (reading) readings.push({ hive, ...reading })
      else call.log.warning(`the scale under ${hive} is silent`)
      call.progress(readings.length, hives.length, hive)
    }
    const totalKg = Math.round(readings.reduce((sum, { kg }) => sum + kg, 0) * 100) / 100
    return { readings, totalKg }
  },
})

const colonyStrength = tool('colony_strength', {
  title: 'Strength of a colony',
  about:
    'How strong a colony was at its last inspection, from 0 (lost) to 100 (bursting), and when to look at it again.',
  input: z.object({ hive: hiveCode }),
  output: z.object({ strength: z.number().int(), lastInspection: z.string(), nextInspection: z.string() }),
  effect: 'read',
  tags: ['colony'],
  examples: [{ input: { hive: 'ML-07' } }],
  async run({ hive }, call) {
    const books = await call.use(ledger)
    knownHive(books, hive)
    const last = books.inspections(hive).at(-1)
    if (!last) throw new Refusal(`${hive} has not been inspected yet.`)
    const strength = strengthIndex(last.framesOfBees, last.framesOfBrood, last.queenSeen)
    return { strength, lastInspection: last.on, nextInspection: nextInspection(last.on, strength) }
  },
})

/** Strength index, winter feed and next inspection: plain functions, whose types and doc comments say all there is to say. */
const colony = await wrapModule(new URL('./colony.ts', import.meta.url), { tags: ['colony'] })

/** The registry's API by its own description; it runs in this process where nobody says where else it is. */
const registry = await wrapOpenApi(new URL('./registry/registry.openapi.yaml', import.meta.url), {
  settingPrefix: 'REGISTRY',
  tags: ['registry'],
  writes: ['register_hive'],
  ...(process.env.REGISTRY_URL ? {} : { upstream: openRegistry() }),
})

const listInspections = tool('list_inspections', {
  title: 'Inspections of a hive',
  about: 'What was found at the inspections of one hive this season, newest first.',
  input: z.object({
    hive: hiveCode,
    most: z.number().int().min(1).max(50).default(5).describe('How many at most'),
  }),
  effect: 'read',
  tags: ['ledger'],
  async run({ hive, most }, call) {
    const books = await call.use(ledger)
    knownHive(books, hive)
    return books.inspections(hive).toReversed().slice(0, most)
  },
})

const recordInspection = tool('record_inspection', {
  title: 'Record an inspection',
  about: 'Writes what was found at an inspection of a hive into the ledger.',
  input: z.object({
    hive: hiveCode,
    on: z.iso.date().describe('Day of the inspection'),
    framesOfBrood: z.number().int().min(0).max(24).describe('Frames that hold brood'),
    framesOfBees: z.number().int().min(0).max(24).describe('Frames that are covered with bees'),
    storesKg: z.number().min(0).max(60).describe('Honey in the hive, in kilograms'),
    queenSeen: z.boolean().describe('Whether the queen was seen'),
    note: z.string().max(500).default('').describe('Anything else worth knowing'),
  }),
  output: z.object({ id: z.number().int(), hive: z.string(), nextInspection: z.string() }),
  effect: 'add',
  tags: ['ledger'],
  askFor: ['framesOfBrood', 'framesOfBees', 'storesKg', 'queenSeen'],
  examples: [
    {
      input: {
        hive: 'ML-04',
        on: '2026-06-02',
        framesOfBrood: 6,
        framesOfBees: 9,
        storesKg: 12.5,
        queenSeen: true,
        note: 'Calm.',
      },
    },
  ],
  async run(found, call) {
    const books = await call.use(ledger)
    knownHive(books, found.hive)
    const { id, hive } = books.record(found)
    call.touch(`apiary://hives/${hive}`)
    call.log.info(`inspection ${id} of ${hive} recorded`)
    const strength = strengthIndex(found.framesOfBees, found.framesOfBrood, found.queenSeen)
    return { id, hive, nextInspection: nextInspection(found.on, strength) }
  },
})

const moveHive = tool('move_hive', {
  title: 'Move a hive',
  about: 'Notes in the ledger that a hive now stands on another site.',
  input: z.object({ hive: hiveCode, to: z.enum(sites).describe('The new site') }),
  output: z.object({ hive: z.string(), from: z.string(), to: z.string() }),
  effect: 'change',
  tags: ['ledger'],
  confirm: { say: ({ hive, to }) => `Move ${hive} to ${to}?`, ifPossible: true },
  async run({ hive, to }, call) {
    const books = await call.use(ledger)
    const { site } = knownHive(books, hive)
    if (site === to) throw new Refusal(`${hive} stands at ${to} already.`)
    books.move(hive, to)
    call.touch(`apiary://hives/${hive}`)
    return { hive, from: site, to }
  },
})

const allHives = resource('apiary://hives', {
  name: 'hives',
  title: 'All hives',
  about: 'The twelve hives: code, site, year of the queen, frames, keeper.',
  mimeType: 'application/json',
  read: async (call) => (await call.use(ledger)).hives(),
})

const hiveSheet = template('apiary://hives/{hive}', {
  name: 'hive_sheet',
  title: 'Sheet of a hive',
  about: 'Everything known about one hive: where it stands, its last inspection, its weight now.',
  mimeType: 'application/json',
  list: async (call) =>
    (await call.use(ledger)).hives().map(({ hive, site }) => ({
      uri: `apiary://hives/${hive}`,
      name: hive,
      description: `Sheet of ${hive} at ${site}.`,
      mimeType: 'application/json',
    })),
  complete: {
    hive: async (typed, call) => {
      const codes = (await call.use(ledger)).hives().map(({ hive }) => hive)
      return codes.filter((code) => code.includes(typed.toUpperCase()))
    },
  },
  read: async ({ hive = '' }, call) => {
    const books = await call.use(ledger)
    const found = knownHive(books, hive)
    const weight = (await call.use(scales)).latest(hive)
    return { ...found, weight, lastInspection: books.inspections(hive).at(-1) }
  },
})

const fieldguide = new URL('./fieldguide/', import.meta.url)
const pages = [
  ['swarming', 'How to see a swarm coming, and what to do.'],
  ['winter-feed', 'How much to feed before winter, and when.'],
  ['varroa', 'Counting mites and treating against them.'],
  ['robbing', 'Signs of robbing and how to stop it.'],
  ['reading-the-scales', 'What a rise, a fall or a step of the weight means.'],
] as const
const guide = pages.map(([page, about]) =>
  resource(`fieldguide://${page}`, {
    name: page,
    about,
    mimeType: 'text/markdown',
    read: () => readFile(new URL(`${page}.md`, fieldguide), 'utf8'),
  }),
)

const inspectionLetter = prompt('inspection_letter', {
  title: 'Letter about an inspection',
  about: 'Asks for a short letter to a member about the last inspection of a hive.',
  input: z.object({
    hive: hiveCode,
    member: z.string().describe('Who the letter is to'),
    tone: z.enum(['plain', 'warm', 'urgent']).optional().describe('How it should sound'),
  }),
  complete: {
    hive: async (typed, call) =>
      (await call.use(ledger))
        .hives()
        .map(({ hive }) => hive)
        .filter((code) => code.includes(typed.toUpperCase())),
    member: async (typed, call) => {
      const keepers = new Set((await call.use(ledger)).hives().map(({ keeper }) => keeper))
      return [...keepers].filter((keeper) => keeper.toLowerCase().includes(typed.toLowerCase())).sort()
    },
  },
  async run({ hive, member, tone = 'plain' }, call) {
    const books = await call.use(ledger)
    const found = knownHive(books, hive)
    const sheet = JSON.stringify({ ...found, lastInspection: books.inspections(hive).at(-1) }, null, 2)
    return [
      content.text(
        `Write a ${tone} letter of at most 120 words to ${member} about the last inspection of ${hive}.`,
      ),
      content.embed({ uri: `apiary://hives/${hive}`, mimeType: 'application/json', text: sheet }),
    ]
  },
})

function pause(ms: number, signal: AbortSignal): Promise<void> {
  return new Promise((resolve, reject) => {
    const timer = setTimeout(resolve, ms)
    signal.addEventListener('abort', () => {
      clearTimeout(timer)
      reject(signal.reason)
    })
  })
}

export default defineKit({
  name: 'apiary',
  version: '1.0.0',
  title: 'Marsh Lane apiary',
  about: 'Hives, inspections and honey of the Marsh Lane beekeepers.',
  settings: {
    REGISTRY_API_KEY: setting({ about: 'Key of the registry.', default: demoKey, secret: true }),
    APIARY_SITE: setting({ about: 'Site that the co-op calls home.', default: 'Marsh Lane' }),
  },
  parts: [
    weighHive,
    weighSite,
    colonyStrength,
    ...colony,
    ...registry,
    listInspections,
    recordInspection,
    moveHive,
    allHives,
    ...guide,
    hiveSheet,
    inspectionLetter,
  ],
})
