import { demoStart } from '../data/marsh-lane.ts'
import { seeded } from '../data/seeded.ts'

export interface Reading {
  /** Weight of the whole hive, in kilograms. */
  kg: number
  /** When it was taken, ISO 8601. */
  at: string
}
export interface Scales {
  /** The newest reading of a hive's scale, or undefined where no such scale reports. */
  latest(hive: string): Reading | undefined
  /** Readings since the demo began, oldest first, at most `most`. */
  history(hive: string, most: number): Reading[]
  close(): void
}

const everyMs = 5000

/** Simulated scales: each reports every five seconds, by a seeded curve of the day and the season. */
export function openScales(hives: readonly string[], now: () => number = Date.now): Scales {
  const openedAt = now()
  const latestSlot = () => Math.floor((now() - openedAt) / everyMs)
  const read = (hive: string, slot: number): Reading => {
    const at = demoStart + slot * everyMs
    return { kg: weightOf(hives.indexOf(hive), at), at: new Date(at).toISOString().replace('.000', '') }
  }
  return {
    latest: (hive) => (hives.includes(hive) ? read(hive, latestSlot()) : undefined),
    history: (hive, most) => {
      const last = latestSlot()
      const slots = Array.from(
        { length: Math.min(most, last + 1) },
        (_, index) => Math.max(0, last - most + 1) + index,
      )
      return hives.includes(hive) ? slots.map((slot) => read(hive, slot)) : []
    },
    close: () => {},
  }
}

function weightOf(index: number, at: number): number {
  const random = seeded(index * 7919 + Math.floor(at / everyMs))
  const base = 36 + ((index * 37) % 11)
  const hour = (at / 3_600_000) % 24
  const flying = Math.sin(((hour - 6) / 24) * 2 * Math.PI) * 0.6
  return Math.round((base + flying + (random() - 0.5) * 0.08) * 100) / 100
}
