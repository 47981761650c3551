import { strengthIndex } from '../apiary/colony.ts'
import { type Hive, marshLane, type Site } from '../apiary/data/marsh-lane.ts'

export interface Visit {
  on: string
  framesOfBees: number
  framesOfBrood: number
  queenSeen: boolean
  note: string
}
export interface HiveOverview {
  hive: string
  site: Site
  keeper: string
  queenYear: number
  lastVisit: string
  strength: number
  place: { x: number; y: number }
}

/** Corners of the sites on the map. Each site has four hives. */
const corners: Record<Site, { x: number; y: number }> = {
  'Marsh Lane': { x: 12, y: 58 },
  'Quarry Field': { x: 44, y: 22 },
  'Orchard End': { x: 70, y: 62 },
}

/** Hives and their visits, in memory. Each start has the same data. */
export class VisitBook {
  readonly #hives: readonly Hive[]
  readonly #visits = new Map<string, Visit[]>()

  constructor() {
    const { hives, inspections } = marshLane()
    this.#hives = hives
    for (const { hive } of hives) this.#visits.set(hive, [])
    for (const { hive, on, framesOfBees, framesOfBrood, queenSeen, note } of inspections)
      this.#visits.get(hive)?.unshift({ on, framesOfBees, framesOfBrood, queenSeen, note })
  }

  hives(site?: Site): HiveOverview[] {
    return this.#hives
      .filter((hive) => site === undefined || hive.site === site)
      .map(({ hive, site, keeper, queen }) => {
        const [latest] = this.#visits.get(hive) ?? []
        const number = this.#hives.findIndex((one) => one.hive === hive) % 4
        const corner = corners[site]
        return {
          ...{ hive, site, keeper, queenYear: queen },
          lastVisit: latest?.on ?? '2026-01-01',
          strength: latest ? strengthIndex(latest.framesOfBees, latest.framesOfBrood, latest.queenSeen) : 0,
          place: { x: corner.x + (number % 2) * 12, y: corner.y + Math.floor(number / 2) * 12 },
        }
      })
  }

  /** Newest first; undefined for a hive that does not exist. */
  visits(hive: string): readonly Visit[] | undefined {
    return this.#visits.get(hive)
  }

  /** Returns the number of visits of the hive. */
  record(hive: string, visit: Visit): number {
    const visits = this.#visits.get(hive) ?? []
    visits.push(visit)
    visits.sort((a, b) => b.on.localeCompare(a.on))
    return visits.length
  }
}
