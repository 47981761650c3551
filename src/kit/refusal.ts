import { brands, hasBrand } from './brand.js'

/**
 * Thrown by an author's function to say no: its message is written for the model and shown as it is.
 * Any other error becomes a short text with an id, and its stack goes to the log.
 *
 * @example throw new Refusal('There is no hive ML-99; the nearest codes are ML-09 and ML-11.')
 */
export class Refusal extends Error {
  constructor(message: string, options?: ErrorOptions) {
    super(message, options)
    this.name = 'Refusal'
    Object.defineProperty(this, brands.refusal, { value: true })
  }
}

/** True for a `Refusal` of this or of another copy of the package. */
export function isRefusal(value: unknown): value is Refusal {
  return hasBrand(value, brands.refusal)
}
