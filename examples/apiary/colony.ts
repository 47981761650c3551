/**
 * How strong a colony is, from 0 (lost) to 100 (bursting).
 * @param framesOfBees Frames that are covered with bees.
 * @param framesOfBrood Frames that hold brood.
 * @param queenSeen Whether the queen was seen at the last inspection.
 */
export function strengthIndex(framesOfBees: number, framesOfBrood: number, queenSeen = true): number {
  const raw = framesOfBees * 5 + framesOfBrood * 4 + (queenSeen ? 8 : 0)
  return Math.max(0, Math.min(100, Math.round(raw)))
}

/**
 * Sugar to feed before winter, in kilograms, so that a colony has stores until spring.
 * @param storesKg Honey in the hive now, in kilograms.
 * @param framesOfBees Frames that are covered with bees.
 * @param winterWeeks How many weeks without forage are expected.
 */
export function winterFeed(storesKg: number, framesOfBees: number, winterWeeks = 20): number {
  const needKg = 4 + framesOfBees * 0.055 * winterWeeks
  const missingKg = Math.max(0, needKg - storesKg)
  // A kilogram of sugar becomes about 1.15 kg of stores once it is taken as syrup.
  return Math.round((missingKg / 1.15) * 10) / 10
}

/**
 * The day a hive should be looked at again, ISO 8601: sooner in the swarming months and for strong colonies.
 * @param lastOn Day of the last inspection, ISO 8601.
 * @param strength Strength index of the colony, 0 to 100.
 */
export function nextInspection(lastOn: string, strength: number): string {
  const month = Number(lastOn.slice(5, 7))
  const isSwarming = month >= 4 && month <= 7
  const days = isSwarming ? (strength >= 70 ? 7 : 9) : strength >= 70 ? 14 : 21
  const day = new Date(`${lastOn}T00:00:00Z`)
  day.setUTCDate(day.getUTCDate() + days)
  return day.toISOString().slice(0, 10)
}
