import { demoStart } from '../data/marsh-lane.ts'
import { seeded } from '../data/seeded.ts'

export const everyMs = 5000
export const hiveCodes = Array.from({ length: 12 }, (_, index) => `ML-${String(index + 1).padStart(2, '0')}`)

/** Meanings of the state codes of a scale. */
export const stateLabels = { 0: 'fine', 1: 'low battery', 2: 'tipped over' } as const

export interface Weight {
  /** Weight of the whole hive, in kilograms. */
  kg: number
  /** Time of the reading, ISO 8601. */
  at: string
}

/** The weight of a hive, from a seeded curve of the day and the season. A slot is five seconds long. */
export function weightAt(hive: string, slot: number): Weight {
  const index = hiveCodes.indexOf(hive)
  const at = demoStart + slot * everyMs
  const random = seeded(index * 7919 + Math.floor(at / everyMs))
  const base = 36 + ((index * 37) % 11)
  const hour = (at / 3_600_000) % 24
  const flying = Math.sin(((hour - 6) / 24) * 2 * Math.PI) * 0.6
  const kg = Math.round((base + flying + (random() - 0.5) * 0.08) * 100) / 100
  return { kg, at: new Date(at).toISOString().replace('.000', '') }
}

/** One scale has a low battery; another is sometimes tipped over for a while. */
export function stateOf(hive: string, slot: number): keyof typeof stateLabels {
  if (hive === 'ML-11') return 1
  return hive === 'ML-06' && slot % 24 >= 20 ? 2 : 0
}
