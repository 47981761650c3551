import { type Hive, type Inspection, marshLane, type Site } from './data/marsh-lane.ts'

/** The co-op's books: which hives stand where, and what was found in them. Kept in memory, the same at every start. */
export interface Ledger {
  hives(): readonly Hive[]
  find(hive: string): Hive | undefined
  inspections(hive: string): readonly Inspection[]
  record(inspection: Omit<Inspection, 'id'>): Inspection
  move(hive: string, to: Site): { from: Site; to: Site } | undefined
}

export function openLedger(): Ledger {
  const { hives, inspections } = marshLane()
  return {
    hives: () => hives,
    find: (code) => hives.find(({ hive }) => hive === code),
    inspections: (code) => inspections.filter(({ hive }) => hive === code),
    record: (found) => {
      const inspection = { ...found, id: inspections.length + 1 }
      inspections.push(inspection)
      return inspection
    },
    move: (code, to) => {
      const hive = hives.find((known) => known.hive === code)
      if (!hive) return undefined
      const from = hive.site
      hive.site = to
      return { from, to }
    },
  }
}
