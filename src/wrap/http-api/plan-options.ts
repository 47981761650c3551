import type { Effect } from '../../kit/effects.js'
import type { ChoosingOptions } from './choose.js'

/** Options of all plans of APIs. */
export interface RestPlanOptions extends ChoosingOptions {
  /** Three tools for all operations instead of one each. Default: if there are more than `mostTools`. */
  readonly catalogue?: boolean
  /** Default: 40. */
  readonly mostTools?: number
  /** Prefix of all names. */
  readonly prefix?: string
  /** Tags of all parts, in addition to those of the source. */
  readonly tags?: readonly string[]
  /** Effects by tool name, if the source does not show them: a search with `POST` reads. */
  readonly effects?: Readonly<Record<string, Effect>>
  /** Base URL of the API, replacing the one in the source; the environment overrides both. */
  readonly baseUrl?: string
  /** Prefix of the names of its settings: `REGISTRY` gives `REGISTRY_URL`. Default: from the title or the host. */
  readonly settingPrefix?: string
}
