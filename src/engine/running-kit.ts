import type { Kit } from '../kit/kit.js'
import { type Environment, maskFor, readSettings } from '../kit/settings.js'
import { type Replacement, SharedThings } from '../kit/shared.js'
import type { JsonSchemaValidator } from '../kit/validation.js'
import type { Implementation } from '../protocol/types.js'
import type { Engine } from './engine.js'
import { PartIndex } from './part-index.js'

/** Something for the operator's log, not for a peer. `text` is masked already. */
export interface Report {
  level: 'info' | 'warning' | 'error'
  text: string
}
export interface RunningOptions {
  /** Where settings are read from. */
  environment: Environment
  validator: JsonSchemaValidator
  /** Shared things to put in place of others: `[[scales, fake]]`. */
  replace?: readonly Replacement[]
  report?: (report: Report) => void
  /** Runs an author's function; Node marks it, so that the stdout guard can name the tool. */
  inCall?: <T>(label: string, run: () => T) => T
  /** How many entries a page of a list has. */
  pageSize?: number
}

/** A kit while it is served: its settings read, its parts made ready, its shared things, and the sessions it has. */
export class RunningKit {
  readonly kit: Kit
  readonly settings: Readonly<Record<string, string>>
  readonly shared: SharedThings
  readonly pageSize: number
  readonly implementation: Implementation
  readonly mask: (text: string) => string
  readonly inCall: <T>(label: string, run: () => T) => T
  readonly sessions = new Set<Engine>()
  index: PartIndex
  readonly #report: (report: Report) => void
  readonly #stopListening: () => void

  /** Throws a `JexoError` that names all settings that are missing. */
  constructor(kit: Kit, options: RunningOptions) {
    this.kit = kit
    this.settings = Object.freeze(readSettings(kit.settings, options.environment))
    this.shared = new SharedThings({ settings: this.settings }, options.replace)
    this.mask = maskFor(kit.settings, this.settings)
    this.pageSize = options.pageSize ?? 1000
    this.inCall = options.inCall ?? ((_label, run) => run())
    this.implementation = implementationOf(kit)
    this.#report = options.report ?? (({ level, text }) => console.error(`jexo: ${level}: ${text}`))
    this.index = new PartIndex(kit.parts, options.validator)
    this.#stopListening = kit.onReplace(() => {
      this.index = new PartIndex(kit.parts, options.validator, this.index)
      for (const session of this.sessions) session.partsChanged()
    })
  }

  report(level: Report['level'], text: string): void {
    this.#report({ level, text: this.mask(text) })
  }

  /** Tells the sessions that have subscribed to a resource that it has changed. */
  touch(uri: string): void {
    for (const session of this.sessions) session.resourceChanged(uri)
  }

  /** Ends all sessions and closes the shared things. */
  async close(): Promise<void> {
    this.#stopListening()
    for (const session of [...this.sessions]) session.close('the server is stopping')
    for (const failure of await this.shared.close()) {
      this.report(
        'warning',
        `a shared thing did not close: ${failure instanceof Error ? failure.message : failure}`,
      )
    }
  }
}

function implementationOf(kit: Kit): Implementation {
  const { name, version, title, about, websiteUrl, icons } = kit
  return {
    name,
    version,
    ...(title === undefined ? {} : { title }),
    ...(about === undefined ? {} : { description: about }),
    ...(websiteUrl === undefined ? {} : { websiteUrl }),
    ...(icons ? { icons } : {}),
  }
}
