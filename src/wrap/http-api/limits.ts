import { numbersOf } from '../../kit/numbers.js'
import type { Environment } from '../../kit/settings.js'

/** Limits of the requests to an API and of its responses. Times in milliseconds, sizes in bytes. */
export interface RestLimits {
  /** Time limit of a request. */
  readonly timeoutMs: number
  /** How often a repeatable request is tried again. */
  readonly retries: number
  /** Maximum pause before that; if the server asks for a longer one, the request fails. */
  readonly maxPauseMs: number
  /** Maximum number of concurrent requests. */
  readonly maxInFlight: number
  /** Maximum size of a response and of a file that is sent. */
  readonly maxBytes: number
  /** Maximum length of a result, in characters. */
  readonly maxCharacters: number
  /** Maximum number of items collected over several pages. */
  readonly maxGathered: number
}
export const restLimits: RestLimits = {
  timeoutMs: 30_000,
  retries: 3,
  maxPauseMs: 20_000,
  maxInFlight: 8,
  maxBytes: 10_000_000,
  maxCharacters: 100_000,
  maxGathered: 1000,
}

const variables: Readonly<Record<string, keyof RestLimits>> = {
  JEXO_UPSTREAM_TIMEOUT_MS: 'timeoutMs',
  JEXO_UPSTREAM_RETRIES: 'retries',
  JEXO_UPSTREAM_MAX_PAUSE_MS: 'maxPauseMs',
  JEXO_UPSTREAM_MAX_IN_FLIGHT: 'maxInFlight',
  JEXO_UPSTREAM_MAX_BYTES: 'maxBytes',
  JEXO_UPSTREAM_MAX_GATHERED: 'maxGathered',
  JEXO_RESULT_MAX_CHARACTERS: 'maxCharacters',
}

/** More tools than this become a catalogue: `JEXO_MOST_TOOLS`. */
export const mostToolsFrom = (environment: Environment): number =>
  numbersOf(environment, { JEXO_MOST_TOOLS: 'most' as const }).most ?? 40

/** Precedence: the author's options, environment variables, defaults. */
export const limitsFor = (given: Partial<RestLimits>, environment: Environment): RestLimits => ({
  ...restLimits,
  ...numbersOf(environment, variables),
  ...given,
})
