import { brands, hasBrand } from './brand.js'

/**
 * A page that the user must visit, and the reason. A host that can show it receives error -32042 with it (Elicitation,
 * "URL Elicitation Required Error").
 */
export interface Visit {
  url: string
  message: string
}

/**
 * Thrown by a part's function to return an error to the model, with this message. For any other error, the model
 * receives a short text with an id, and the stack goes to the log.
 *
 * @example throw new Refusal('There is no hive ML-99; the nearest codes are ML-09 and ML-11.')
 */
export class Refusal extends Error {
  /** Pages that the user must visit before the call can be repeated. */
  readonly visit: readonly Visit[]
  /** A note for the operator: written to the server's log, never sent to the model. */
  readonly operatorNote: string | undefined

  constructor(message: string, options: ErrorOptions & { visit?: readonly Visit[]; operatorNote?: string } = {}) {
    super(message, options)
    this.name = 'Refusal'
    this.visit = options.visit ?? []
    this.operatorNote = options.operatorNote
    Object.defineProperty(this, brands.refusal, { value: true })
  }
}

/** True for a `Refusal` of this or of another copy of the package. */
export function isRefusal(value: unknown): value is Refusal {
  return hasBrand(value, brands.refusal)
}
