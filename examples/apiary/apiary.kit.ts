/**
 * The server of the Marsh Lane beekeepers: scales, ledger, registry, graph and field guide. All data is generated and
 * the same in each run.
 */
import { type Call, content, defineKit, prompt, Refusal, resource, setting, template, tool } from 'jexo'
import { wrapFeed } from 'jexo/feed'
import { wrapFolder } from 'jexo/folder'
import { wrapGraphql } from 'jexo/graphql'
import { audit, cache, limitRate } from 'jexo/layers'
import { wrapModule } from 'jexo/module'
import { wrapOpenApi } from 'jexo/openapi'
import { type SqlDatabase, type StatementCall, wrapSql } from 'jexo/sql'
import { z } from 'zod'
import { nextInspection, strengthIndex } from './colony.ts'
import { sites } from './data/marsh-lane.ts'
import { openGraph } from './graph/graph.ts'
import { allHives, lastInspection, ledger, move, record } from './ledger/ledger.ts'
import { demoKey, openRegistry } from './registry/app.ts'
import { scales } from './scales/scales.ts'

const hiveCode = z
  .string()
  .regex(/^ML-\d\d$/)
  .describe('Hive code, such as ML-04')

async function knownHive(books: SqlDatabase, hive: string, call: StatementCall) {
  const hives = await allHives(books, call)
  const found = hives.find((known) => known.hive === hive)
  if (found) return found
  const number = Number(hive.slice(3))
  const near = hives
    .map((known) => known.hive)
    .sort((a, b) => Math.abs(Number(a.slice(3)) - number) - Math.abs(Number(b.slice(3)) - number))
    .slice(0, 3)
  throw new Refusal(`There is no hive ${hive}. The nearest codes are ${near.join(', ')}; there are ML-01 to ML-12.`)
}

/** The latest weight of a hive. Waits a moment for a feed that was just opened. */
async function weightOf(hive: string, call: Pick<Call, 'use' | 'signal'>) {
  const feed = await call.use(scales)
  await feed.until(() => feed.latest('weight', { hive }) !== undefined, 2000, call.signal)
  const reading = feed.latest('weight', { hive })
  return reading && { kg: Number(reading.value), at: reading.at.replace('.000', '') }
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
    await knownHive(await call.use(ledger), hive, call)
    const reading = await weightOf(hive, call)
    if (!reading) throw new Refusal(`The scale under ${hive} has not reported yet; try again in a few seconds.`)
    return reading
  },
})

const weighSite = tool('weigh_site', {
  title: 'Weigh a site',
  about: 'Weighs every hive of one site, one after the other, and returns the readings and their sum in kilograms.',
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
    const hives = (await allHives(await call.use(ledger), call)).filter((hive) => hive.site === site)
    for (const { hive } of hives) {
      await pause(120, call.signal)
      const reading = await weightOf(hive, call)
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
    await knownHive(books, hive, call)
    const last = await lastInspection(books, hive, call)
    if (!last) throw new Refusal(`${hive} has not been inspected yet.`)
    const strength = strengthIndex(last.framesOfBees, last.framesOfBrood, last.queenSeen)
    return { strength, lastInspection: last.on, nextInspection: nextInspection(last.on, strength) }
  },
})

/** Strength index, winter feed and next inspection: plain functions, described by their types and doc comments. */
const colony = await wrapModule(new URL('./colony.ts', import.meta.url), { tags: ['colony'] })

/**
 * The registry's API, read from its OpenAPI description. Runs in this process unless a setting names another address.
 */
const registry = await wrapOpenApi(new URL('./registry/registry.openapi.yaml', import.meta.url), {
  settingPrefix: 'REGISTRY',
  tags: ['registry'],
  writes: ['register_hive'],
  ...(process.env.REGISTRY_URL ? {} : { upstream: openRegistry() }),
})

/** The ledger: statements as tools, rows as resources, and a read-only SELECT tool for other questions. */
const books = await wrapSql(ledger, {
  queries: [new URL('./ledger/queries.sql', import.meta.url)],
  tags: ['ledger'],
  adHoc: true,
})

/**
 * The same ledger as a GraphQL API, with a written operation. Runs in this process unless a setting names another
 * address.
 */
const graph = await wrapGraphql(new URL('./graph/ledger.graphql', import.meta.url), {
  operations: [new URL('./graph/history.graphql', import.meta.url)],
  settingPrefix: 'GRAPH',
  tags: ['graph'],
  ...(process.env.GRAPH_URL ? {} : { upstream: openGraph() }),
})

const guide = await wrapFolder(new URL('./fieldguide/', import.meta.url), {
  about: 'Pages on bees through the year: swarming, feeding, mites, robbing, scales',
  tags: ['guide'],
})

const readings = await wrapFeed(scales, { tags: ['scale'] })

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
    const { hive } = await knownHive(books, found.hive, call)
    const id = await record(books, found, call)
    call.resourceUpdated(`apiary://hives/${hive}`)
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
    const { site } = await knownHive(books, hive, call)
    if (site === to) throw new Refusal(`${hive} stands at ${to} already.`)
    await move(books, hive, to, call)
    call.resourceUpdated(`apiary://hives/${hive}`)
    return { hive, from: site, to }
  },
})

const hiveList = resource('apiary://hives', {
  name: 'hives',
  title: 'All hives',
  about: 'The twelve hives: code, site, year of the queen, frames, keeper.',
  mimeType: 'application/json',
  read: async (call) => allHives(await call.use(ledger), call),
})

const hiveSheet = template('apiary://hives/{hive}', {
  name: 'hive_sheet',
  title: 'Sheet of a hive',
  about: 'Everything known about one hive: where it stands, its last inspection, its weight now.',
  mimeType: 'application/json',
  list: async (call) =>
    (await allHives(await call.use(ledger), call)).map(({ hive, site }) => ({
      uri: `apiary://hives/${hive}`,
      name: hive,
      description: `Sheet of ${hive} at ${site}.`,
      mimeType: 'application/json',
    })),
  complete: {
    hive: async (typed, call) => {
      const codes = (await allHives(await call.use(ledger), call)).map(({ hive }) => hive)
      return codes.filter((code) => code.includes(typed.toUpperCase()))
    },
  },
  read: async ({ hive = '' }, call) => {
    const books = await call.use(ledger)
    const found = await knownHive(books, hive, call)
    const weight = await weightOf(hive, call)
    return { ...found, weight, lastInspection: await lastInspection(books, hive, call) }
  },
})

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
      (await allHives(await call.use(ledger), call))
        .map(({ hive }) => hive)
        .filter((code) => code.includes(typed.toUpperCase())),
    member: async (typed, call) => {
      const keepers = new Set((await allHives(await call.use(ledger), call)).map(({ keeper }) => keeper))
      return [...keepers].filter((keeper) => keeper.toLowerCase().includes(typed.toLowerCase())).sort()
    },
  },
  async run({ hive, member, tone = 'plain' }, call) {
    const books = await call.use(ledger)
    const found = await knownHive(books, hive, call)
    const sheet = JSON.stringify({ ...found, lastInspection: await lastInspection(books, hive, call) }, null, 2)
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
  layers: [
    // Records every call in the file that APIARY_AUDIT names.
    audit({ to: process.env.APIARY_AUDIT || (() => {}) }),
    // The registry belongs to the county, which allows two requests a second.
    limitRate({ calls: 120, perMs: 60_000, only: ['tag:registry'] }),
    // The history of a hive is large, and changes only when the ledger is written.
    cache({ keepMs: 60_000, only: ['tag:graph'] }),
  ],
  parts: [
    weighHive,
    weighSite,
    colonyStrength,
    ...colony,
    ...registry,
    ...books,
    recordInspection,
    moveHive,
    ...graph,
    ...readings,
    hiveList,
    ...guide,
    hiveSheet,
    inspectionLetter,
  ],
})
