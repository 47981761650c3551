import type { Effect } from '../../kit/effects.js'
import type { ChoosingOptions } from './choose.js'

/** Options of all plans of APIs. */
export interface RestPlanOptions extends ChoosingOptions {
  /** Three tools for all operations instead of one each; by default where there are more than `mostTools`. */
  readonly catalogue?: boolean
  /** 40 by default. */
  readonly mostTools?: number
  /** Put before every name. */
  readonly prefix?: string
  /** Tags of all parts, in addition to those of the source. */
  readonly tags?: readonly string[]
  /** Effects by tool name, if the source does not show them: a search with `POST` reads. */
  readonly effects?: Readonly<Record<string, Effect>>
  /** Where the API is, instead of if the source says; the environment may say otherwise. */
  readonly baseUrl?: string
  /** Put before the names of its settings: `REGISTRY` gives `REGISTRY_URL`. From the title or the host by default. */
  readonly settingPrefix?: string
}
