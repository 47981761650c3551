import type { Effect } from '../../kit/effects.js'
import type { ChoosingOptions } from './choose.js'

/** What every plan of an API takes, whatever its source. */
export interface RestPlanOptions extends ChoosingOptions {
  /** Three tools for all operations instead of one each; by default where there are more than `mostTools`. */
  readonly catalogue?: boolean
  /** 40 by default. */
  readonly mostTools?: number
  /** Put before every name. */
  readonly prefix?: string
  /** Put on every part, beside the tags of the source. */
  readonly tags?: readonly string[]
  /** What operations do to the world, by tool name, where the source does not say it: a search by `POST` reads. */
  readonly effects?: Readonly<Record<string, Effect>>
  /** Where the API is, instead of if the source says; the environment may say otherwise. */
  readonly baseUrl?: string
  /** Put before the names of its settings: `REGISTRY` gives `REGISTRY_URL`. From the title or the host by default. */
  readonly settingPrefix?: string
}
