import { between, pick, seeded } from './seeded.ts'

export const sites = ['Marsh Lane', 'Quarry Field', 'Orchard End'] as const
export type Site = (typeof sites)[number]

export interface Hive {
  /** Code of the hive, `ML-01` to `ML-12`. */
  hive: string
  site: Site
  /** Year of the queen. */
  queen: number
  frames: number
  keeper: string
}
export interface Inspection {
  id: number
  hive: string
  /** Day of the inspection, ISO 8601. */
  on: string
  framesOfBrood: number
  framesOfBees: number
  storesKg: number
  queenSeen: boolean
  note: string
}

/** Honey of one hive, taken on one day. */
export interface Batch {
  id: number
  hive: string
  on: string
  kind: string
  kg: number
  /** Water content, in percent. */
  moisture: number
}
export interface Member {
  name: string
  /** Year. */
  joined: number
}

/** Start of the demo's clock. It is fixed, so that every run gives the same data. */
export const demoStart = Date.parse('2026-06-02T06:00:00Z')
export const members = ['Ada Fenn', 'Bram Oakley', 'Cora Withy', 'Dov Marlow', 'Esme Thorne'] as const

const notes = [
  'Calm on the comb.',
  'A few drone cells at the edges.',
  'Bringing in lime.',
  'Wax moth traces on the floor board.',
  'Second super given.',
  'Ventilation opened.',
]

interface Books {
  members: Member[]
  hives: Hive[]
  inspections: Inspection[]
  batches: Batch[]
}

/** Twelve hives, this season's inspections, and the honey harvested. */
export function marshLane(seed = 412): Books {
  const random = seeded(seed)
  const hives = Array.from(
    { length: 12 },
    (_, index): Hive => ({
      hive: `ML-${String(index + 1).padStart(2, '0')}`,
      site: sites[Math.floor(index / 4)] as Site,
      queen: between(random, 2023, 2025),
      frames: between(random, 10, 12),
      keeper: pick(random, members),
    }),
  )
  const inspections = hives.flatMap((hive) => seasonOf(hive, random))
  inspections.sort((a, b) => a.on.localeCompare(b.on) || a.hive.localeCompare(b.hive))
  return {
    members: members.map((name, index) => ({ name, joined: 2011 + index * 3 })),
    hives,
    inspections: inspections.map((inspection, index) => ({ ...inspection, id: index + 1 })),
    batches: batchesOf(hives, random),
  }
}

const flowers = ['dandelion', 'apple', 'rape', 'hawthorn'] as const

function batchesOf(hives: readonly Hive[], random: () => number): Batch[] {
  const batches = hives.flatMap(({ hive }) =>
    Array.from({ length: between(random, 1, 2) }, () => ({
      hive,
      on: new Date(Date.UTC(2026, 4, between(random, 8, 31))).toISOString().slice(0, 10),
      kind: pick(random, flowers),
      kg: Math.round((5 + random() * 14) * 10) / 10,
      moisture: Math.round((15.8 + random() * 2.8) * 10) / 10,
    })),
  )
  batches.sort((a, b) => a.on.localeCompare(b.on) || a.hive.localeCompare(b.hive))
  return batches.map((batch, index) => ({ id: index + 1, ...batch }))
}

function seasonOf({ hive, frames }: Hive, random: () => number): Inspection[] {
  const first = between(random, 92, 99)
  return Array.from({ length: 5 }, (_, visit) => {
    const bees = Math.min(frames, 4 + visit + between(random, 0, 2))
    return {
      id: 0,
      hive,
      on: new Date(Date.UTC(2026, 0, first + visit * 12)).toISOString().slice(0, 10),
      framesOfBrood: Math.max(1, bees - between(random, 2, 4)),
      framesOfBees: bees,
      storesKg: Math.round((6 + random() * 9) * 10) / 10,
      queenSeen: random() > 0.3,
      note: pick(random, notes),
    }
  })
}
