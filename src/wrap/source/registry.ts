/** Content of a packed file for a wrap: its plan and its loaded modules. */
export interface Frozen {
  readonly plan: unknown
  readonly module?: Readonly<Record<string, unknown>>
}
/** A wrap that was made while a kit was loaded to be packed. */
export interface MadeWrap {
  readonly key: string
  readonly plan: unknown
  /** The module that has to travel along. */
  readonly modulePath?: string
  /** A source that may hold secrets: of it, only a mark travels along. */
  readonly hollowPath?: string
  /** Packages with native parts that it needs where it runs. */
  readonly packages?: readonly string[]
}

interface Registry {
  frozen: Record<string, Frozen>
  /** Called for each wrap while a kit is packed. */
  onMade?: ((made: MadeWrap) => void) | undefined
  /** Called for each folder that is wrapped while a kit is packed: its true path, and the files that it serves. */
  onFolder?: ((root: string, files: readonly string[]) => void) | undefined
  /** Called for each file that a wrap reads, so that a change of it is noticed. */
  onSource?: ((file: string) => void) | undefined
  /** Which load of a kit is under way, where it is loaded again. */
  generation?: number
}

// One registry a process, even where two copies of the package meet.
const slot = Symbol.for('jexo.wraps')
const held = globalThis as { [slot]?: Registry }

export function wrapRegistry(): Registry {
  held[slot] ??= { frozen: {} }
  return held[slot]
}
