/** Content of a packed file for a wrap: its plan and its loaded modules. */
export interface Frozen {
  readonly plan: unknown
  readonly module?: Readonly<Record<string, unknown>>
}
/** A wrap that was created while a kit was loaded for packing. */
export interface MadeWrap {
  readonly key: string
  readonly plan: unknown
  /** The module to include. */
  readonly modulePath?: string
  /** A source that may contain secrets; only a stamp of it is included. */
  readonly hollowPath?: string
  /** Packages with native modules that it needs at run time. */
  readonly packages?: readonly string[]
}

interface Registry {
  frozen: Record<string, Frozen>
  /** Called for each wrap while a kit is packed. */
  onMade?: ((made: MadeWrap) => void) | undefined
  /** Called for each wrapped folder while a kit is packed, with its real path and its served files. */
  onFolder?: ((root: string, files: readonly string[]) => void) | undefined
  /** Called for each file that a wrap reads, so that changes can be detected. */
  onSource?: ((file: string) => void) | undefined
  /** Number of the current load of a kit that is being reloaded. */
  generation?: number
}

// One registry per process, even with two copies of the package.
const slot = Symbol.for('jexo.wraps')
const held = globalThis as { [slot]?: Registry }

export function wrapRegistry(): Registry {
  held[slot] ??= { frozen: {} }
  return held[slot]
}
