import type { JsonObject } from '../protocol/messages.js'
import type { ContentBlock } from '../protocol/types.js'
import { branded, brands, hasBrand } from './brand.js'

/** Result of a wrap's tool: structured content with additional blocks. */
export interface Outcome {
  readonly structured?: JsonObject
  /** Shown after the structured content's text, or alone. */
  readonly blocks: readonly ContentBlock[]
  /** For the operator's log only. */
  readonly operatorNote?: string
}

export const outcome = (given: Outcome): Outcome => branded({ ...given }, brands.outcome)

export const isOutcome = (value: unknown): value is Outcome => hasBrand(value, brands.outcome)
