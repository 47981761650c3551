import { defineKit, Refusal, tool } from 'jexo'

/** A kit that loads quickly, for tests of how any kit is reached. Its tools have the names and results of the apiary's. */
const about = 'Weighs hives.'
const hive = { type: 'string', examples: ['ML-04'] }
const reading = { type: 'object', properties: { kg: { type: 'number' }, at: { type: 'string' } } }
const readings = { type: 'object', properties: { readings: { type: 'array' } } }
const weigh = tool('weigh_hive', {
  about,
  effect: 'read',
  input: { type: 'object', properties: { hive }, required: ['hive'] },
  output: reading,
  examples: [{ input: { hive: 'ML-04' } }],
  run: (input: unknown) => {
    const { hive } = input as { hive: string }
    if (hive !== 'ML-04') throw new Refusal(`There is no hive ${hive}.`)
    return { kg: 41.2, at: '2026-06-02T06:00:00Z' }
  },
})
const weighSite = tool('weigh_site', {
  about,
  effect: 'read',
  input: { type: 'object', properties: { site: { type: 'string' } } },
  output: readings,
  run: async () => {
    await new Promise((resolve) => setTimeout(resolve, 200))
    return { readings: [41.2, 38.7] }
  },
})
const feed = tool('winter_feed', {
  about: 'Computes the sugar for the winter.',
  effect: 'read',
  input: {
    type: 'object',
    properties: { storesKg: { type: 'number' }, framesOfBees: { type: 'number' } },
    required: ['storesKg', 'framesOfBees'],
  },
  output: { type: 'object', properties: { sugarKg: { type: 'number' } } },
  run: (input: unknown) => {
    const { storesKg, framesOfBees } = input as { storesKg: number; framesOfBees: number }
    return { sugarKg: Math.max(0, framesOfBees * 2 - storesKg) }
  },
})
const list = tool('list_hives', { about: 'Lists the hives.', effect: 'read', run: () => ['ML-04'] })

export default defineKit({
  name: 'hives',
  title: 'Hives',
  version: '1.0.0',
  about,
  parts: [weigh, weighSite, feed, list],
})
