import { kitErrors } from '../kit/errors.js'

/** Throws a `JexoError` if one of these is not a positive number. */
export function positive(layer: string, values: Readonly<Record<string, number>>): void {
  for (const [name, value] of Object.entries(values))
    if (typeof value !== 'number' || !(value > 0) || !Number.isFinite(value))
      throw kitErrors.partField(`layer "${layer}"`, name, 'a positive number')
}
