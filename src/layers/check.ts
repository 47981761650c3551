import { kitErrors } from '../kit/errors.js'

/** The longest delay of a timer. */
const longestMs = 2 ** 31 - 1

/** Throws a `JexoError` if one of these is not a positive number, or a time longer than timers can wait. */
export function positive(layer: string, values: Readonly<Record<string, number>>): void {
  for (const [name, value] of Object.entries(values))
    if (typeof value !== 'number' || !(value > 0) || !Number.isFinite(value))
      throw kitErrors.partField(`layer "${layer}"`, name, 'a positive number')
    else if (/ms$/i.test(name) && value > longestMs)
      throw kitErrors.partField(`layer "${layer}"`, name, `at most ${longestMs} ms`)
}
