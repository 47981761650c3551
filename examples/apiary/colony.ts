/**
 * How strong a colony is, from 0 (lost) to 100 (bursting).
 * @title Strength index
 * @effect read
 * @param framesOfBees Frames that are covered with bees.
 * @integer
 * @minimum 0
 * @maximum 24
 * @param framesOfBrood Frames that hold brood.
 * @integer
 * @minimum 0
 * @maximum 24
 * @param queenSeen Whether the queen was seen at the last inspection.
 * @returns The index.
 * @example strengthIndex(9, 6) // 77
 */
export function strengthIndex(framesOfBees: number, framesOfBrood: number, queenSeen = true): number {
  const raw = framesOfBees * 5 + framesOfBrood * 4 + (queenSeen ? 8 : 0)
  return Math.max(0, Math.min(100, Math.round(raw)))
}

/** The feed for a colony before winter. */
export interface WinterFeed {
  /** Sugar, in kilograms. */
  sugarKg: number
}

/**
 * How much sugar to feed before winter, from the stores in the hive and the size of the colony, so that it has enough until spring.
 * @title Winter feed
 * @effect read
 * @param storesKg Honey in the hive now, in kilograms.
 * @minimum 0
 * @maximum 60
 * @param framesOfBees Frames that are covered with bees.
 * @integer
 * @minimum 1
 * @maximum 24
 * @param winterWeeks How many weeks without forage are expected.
 * @integer
 * @minimum 1
 * @maximum 40
 * @example winterFeed(9, 8) // { sugarKg: 3.3 }
 */
export function winterFeed(storesKg: number, framesOfBees: number, winterWeeks = 20): WinterFeed {
  const needKg = 4 + framesOfBees * 0.055 * winterWeeks
  const missingKg = Math.max(0, needKg - storesKg)
  // A kilogram of sugar becomes about 1.15 kg of stores once it is taken as syrup.
  return { sugarKg: Math.round((missingKg / 1.15) * 10) / 10 }
}

/**
 * The day a hive should be looked at again: sooner in the swarming months and for strong colonies.
 * @title Next inspection
 * @effect read
 * @param lastOn Day of the last inspection, ISO 8601.
 * @format date
 * @param strength Strength index of the colony, 0 to 100.
 * @minimum 0
 * @maximum 100
 * @returns The day, ISO 8601.
 * @example nextInspection('2026-06-02', 77) // '2026-06-09'
 */
export function nextInspection(lastOn: string, strength: number): string {
  const month = Number(lastOn.slice(5, 7))
  const isSwarming = month >= 4 && month <= 7
  const days = isSwarming ? (strength >= 70 ? 7 : 9) : strength >= 70 ? 14 : 21
  const day = new Date(`${lastOn}T00:00:00Z`)
  day.setUTCDate(day.getUTCDate() + days)
  return day.toISOString().slice(0, 10)
}
