import { defineKit, Refusal, resource, tool } from 'jexo'
import { z } from 'zod'
import { type Sighting, sightings } from './sightings.ts'

const sites = ['Marsh Lane', 'Quarry Field', 'Orchard End'] as const
const site = z.enum(sites).describe('Site of the swarm')
const listUri = 'swarms://sightings'

const noteSwarm = tool('note_swarm', {
  title: 'Note a swarm',
  about: 'Records a swarm seen at a site, with an estimate of its bees.',
  input: z.object({
    site,
    on: z.iso.date().describe('Day, such as 2026-06-02'),
    bees: z.number().int().min(500).max(60_000).describe('About how many bees'),
  }),
  output: z.object({ id: z.number().int() }),
  effect: 'add',
  examples: [{ input: { site: 'Orchard End', on: '2026-06-02', bees: 12000 } }],
  async run(seen, call) {
    const id = await (await call.use(sightings)).add('sightings', seen)
    call.resourceUpdated(listUri)
    return { id }
  },
})

const countSwarms = tool('count_swarms', {
  title: 'Count swarms',
  about: 'Number of swarms seen at a site, and their bees in total.',
  input: z.object({ site }),
  output: z.object({ swarms: z.number().int(), bees: z.number().int() }),
  effect: 'read',
  examples: [{ input: { site: 'Orchard End' } }],
  async run({ site }, call) {
    const seen = await (await call.use(sightings)).getAllFromIndex('sightings', 'site', site)
    return { swarms: seen.length, bees: seen.reduce((sum, { bees }) => sum + bees, 0) }
  },
})

const forgetSwarm = tool('forget_swarm', {
  title: 'Forget a swarm',
  about: 'Removes a sighting that was recorded by mistake.',
  input: z.object({ id: z.number().int().min(1).describe('Number of the sighting') }),
  output: z.object({ id: z.number().int() }),
  effect: 'remove',
  confirm: ({ id }) => `Take sighting ${id} away for good?`,
  async run({ id }, call) {
    const database = await call.use(sightings)
    if (!(await database.get('sightings', id))) throw new Refusal(`There is no sighting ${id}.`)
    await database.delete('sightings', id)
    call.resourceUpdated(listUri)
    return { id }
  },
})

const sightingList = resource(listUri, {
  name: 'sightings',
  about: 'All recorded swarms, latest first.',
  mimeType: 'application/json',
  read: async (call) => {
    const all = (await (await call.use(sightings)).getAll('sightings')) as Sighting[]
    return all.sort((one, other) => other.on.localeCompare(one.on) || other.id - one.id)
  },
})

/** The kit that a server would serve; here a page runs it. */
export default defineKit({
  name: 'swarms',
  version: '1.0.0',
  about: 'Recorded swarms, stored in this browser.',
  parts: [noteSwarm, countSwarms, forgetSwarm, sightingList],
})
