import { messageOf } from '../errors.js'
import { escapeControls } from '../escape/terminal.js'
import type { Identity } from '../kit/call.js'
import { type Kit, settingsFor } from '../kit/kit.js'
import type { Counters, Layer } from '../kit/layer.js'
import type { Part } from '../kit/part.js'
import { isNoOutput, isStandardSchema } from '../kit/schema.js'
import { maskFor, readSettings } from '../kit/settings.js'
import { type Opening, type Shared, SharedThings } from '../kit/shared.js'
import type { JsonSchemaValidator } from '../kit/validation.js'
import type { Implementation } from '../protocol/types.js'
import type { Letters } from '../store/letters.js'
import type { Member } from '../store/store.js'
import { TaskBoard } from '../tasks/board.js'
import type { TaskMirror } from '../tasks/task-mirror.js'
import { foundTelemetry, isSdkStarted } from '../telemetry/found.js'
import type { Telemetry } from '../telemetry/telemetry.js'
import { Openers } from './openers.js'
import type { PartIndex } from './part-index.js'
import { Refreshes } from './refreshes.js'
import type { Observer, Reach, Report, RunningOptions } from './running-options.js'
import { ServedParts } from './served-parts.js'
import type { SessionPeer } from './session-peer.js'

/** A kit that is served: its settings, its prepared parts, its shared connections and its sessions. */
export class RunningKit {
  readonly pageSize: number
  readonly validator: JsonSchemaValidator
  readonly showsUpstream: boolean
  readonly observer: Observer | undefined
  /** Set before the first session; undefined if nothing is measured. */
  telemetry: Telemetry | undefined
  /** Sessions wait for this promise: telemetry is being loaded. */
  loading: Promise<void> | undefined
  readonly sessions = new Set<SessionPeer>()
  reach: Reach | undefined
  /** State that is shared with other processes. */
  sharing: Member | undefined
  isClosing = false
  #counters: Counters | undefined
  /** Calls that run as tasks. */
  readonly tasks = new TaskBoard((method, error) =>
    this.report('error', `${method} failed: ${error instanceof Error ? error.stack : error}`),
  )
  kit: Kit
  settings: Readonly<Record<string, string>>
  shared: SharedThings
  implementation: Implementation
  mask: (text: string) => string
  readonly #options: RunningOptions
  readonly #parts: ServedParts
  #stopListening: () => void
  #openers: Openers
  #refreshes: Refreshes | undefined
  #isWarm = false
  #isStarted = false

  /** Throws a `JexoError` that names all settings that are missing. */
  constructor(kit: Kit, options: RunningOptions) {
    this.#options = options
    this.#openers = this.#newOpeners()
    this.pageSize = options.pageSize ?? 1000
    this.validator = options.validator
    this.showsUpstream = options.showsUpstream === true
    this.observer = options.observer
    this.telemetry = options.telemetry || undefined
    if (options.telemetry === undefined && isSdkStarted()) this.loading = this.#findTelemetry()
    this.kit = kit
    this.#parts = new ServedParts(options, (text) => this.report('error', text))
    const parts = this.#parts.of(kit)
    const declared = settingsFor(kit, parts)
    this.settings = Object.freeze(readSettings(declared, options.environment, options.toleratesMissing))
    this.shared = this.#newThings()
    this.mask = maskFor(declared, this.settings)
    this.implementation = implementationOf(kit)
    this.#parts.serve(kit, parts)
    this.#stopListening = kit.onReplace(() => this.#partsChanged())
  }

  /** The parts of all sessions. */
  get index(): PartIndex {
    return this.#parts.index
  }
  /** True if some parts are for hosts that show views. */
  get hasViews(): boolean {
    return this.#parts.hasViews
  }

  /** The parts that a session sees; see {@link ServedParts.indexFor}. */
  indexFor(only: string | undefined, identity?: Identity, showsViews = false): PartIndex {
    return this.#parts.indexFor(only, identity, showsViews)
  }

  /**
   * Replaces the kit without ending a session: running calls finish with the old kit, and its shared connections are
   * closed after them. Throws a `JexoError`, and changes nothing, if the new kit cannot be served.
   */
  exchange(kit: Kit): void {
    const parts = this.#parts.of(kit)
    const declared = settingsFor(kit, parts)
    const settings = Object.freeze(
      readSettings(declared, this.#options.environment, this.#options.toleratesMissing),
    )
    const before = this.shared
    this.#stopListening()
    this.#openers.close()
    this.#openers = this.#newOpeners()
    this.kit = kit
    this.settings = settings
    this.#refreshes?.close()
    this.shared = this.#newThings()
    this.mask = maskFor(declared, settings)
    this.implementation = implementationOf(kit)
    this.#stopListening = kit.onReplace(() => this.#partsChanged())
    this.#partsChanged(parts)
    void before.closeWhenIdle().then((failures) => this.#reportClosing(failures))
  }

  /** Counters shared with other processes; undefined without a store. */
  get counters(): Counters | undefined {
    return this.#counters
  }

  /** Works together with other processes of the same server from now on. */
  share(member: Member, letters: Letters, reach: Reach): TaskMirror {
    this.sharing = member
    this.reach = reach
    const nameOf = (layer: Layer) => `${layer.name} ${this.#parts.layers.indexOf(layer)}`
    this.#counters = { take: member.take, nameOf }
    return this.tasks.share(member, letters)
  }

  /** Ends that permanently. */
  unshare(): void {
    this.sharing = undefined
    this.reach = undefined
    this.#counters = undefined
  }

  /** Values of all responding processes. */
  async countSessions(): Promise<number> {
    return (await this.reach?.countSessions().catch(() => undefined)) ?? this.sessions.size
  }

  /** Loads the schema validator before the first call has to wait for it. */
  warm(): void {
    if (this.#isWarm) return
    this.#isWarm = true
    const isPlain = (schema: unknown) => schema !== undefined && !isStandardSchema(schema) && !isNoOutput(schema)
    const needed = [...this.index.tools.values()].some(({ part }) => isPlain(part.input) || isPlain(part.output))
    // If a validator does not load, the call that needs it reports the error.
    if (needed)
      setTimeout(() => void Promise.resolve(this.validator.prepare({ type: 'object' })).catch(() => {}), 0)
  }

  /** Opens connections that are declared for the start; failures are logged, and retried until they succeed. */
  start(): void {
    if (this.#isStarted) return
    this.#isStarted = true
    this.#openSources()
  }

  /** Opens a shared connection in the background. */
  keepOpen(declared: Shared<unknown>): void {
    this.#openers.keepOpen(this.shared, declared)
  }

  /**
   * Runs an author's function; connections that it uses stay open until it ends. Returns a promise only if the function
   * does.
   */
  carry<T>(label: string, run: () => T): T | Promise<Awaited<T>> {
    const { shared } = this
    const { inCall } = this.#options
    const generation = shared.enter()
    let result: T
    try {
      result = inCall ? inCall(label, run) : run()
    } catch (error) {
      shared.leave(generation)
      throw error
    }
    if (isThenable(result)) return Promise.resolve(result).finally(() => shared.leave(generation))
    shared.leave(generation)
    return result
  }

  report(level: Report['level'], text: string): void {
    const { report = ({ level, text }: Report) => console.error(`jexo: ${level}: ${escapeControls(text)}`) } =
      this.#options
    report({ level, text: this.mask(text) })
  }

  /** Notifies the sessions that have subscribed to a resource. */
  resourceUpdated(uri: string, isEverywhere = false): void {
    this.updatedElsewhere(uri)
    this.reach?.resourceUpdated(uri, isEverywhere)
  }

  /** Notifies only those of this process. */
  updatedElsewhere(uri: string): void {
    for (const layer of this.#parts.hearing) layer.onResourceUpdated?.(uri)
    for (const session of this.sessions) session.resourceChanged(uri)
  }

  /** Lists have changed in another process: notifies sessions that only live in this one. */
  listsChangedElsewhere(areAll: boolean): void {
    for (const session of this.sessions) {
      if (areAll) session.partsChanged()
      else session.resourcesChanged()
    }
  }

  /** A resource got a subscriber. */
  keepOpenFor(uri: string): void {
    const { resources, templates } = this.index
    const part =
      resources.get(uri)?.part ?? [...templates.values()].find((ready) => ready.part.parsed.match(uri))?.part
    if (part?.source) this.keepOpen(part.source)
  }

  /** Ends all sessions and closes the shared connections. */
  async close(): Promise<void> {
    this.isClosing = true
    this.#stopListening()
    this.#openers.close()
    this.#refreshes?.close()
    this.tasks.close()
    for (const session of [...this.sessions]) session.close('the server is stopping')
    this.#reportClosing(await this.shared.close())
  }

  async #findTelemetry(): Promise<void> {
    try {
      this.telemetry = await foundTelemetry()
    } catch (error) {
      // Calls must not fail because of telemetry.
      this.report('warning', `telemetry could not be loaded: ${messageOf(error)}`)
    }
    this.loading = undefined
  }

  /** Reopens the shared connection with that name if this process uses it. */
  refresh(name: string): Promise<void> {
    return this.#refreshes?.refresh(name) ?? Promise.resolve()
  }

  #newThings(): SharedThings {
    const things: SharedThings = new SharedThings(this.#opening(this.settings), this.#options.replace, (declared) =>
      refreshes.opened(declared),
    )
    const refreshes = new Refreshes(things, {
      report: (level, text) => this.report(level, text),
      repeat: (name, everyMs) => this.reach?.repeat(name, everyMs) ?? false,
    })
    this.#refreshes = refreshes
    return things
  }

  #newOpeners = () => new Openers((level, text) => this.report(level, text))

  #openSources(): void {
    if (!this.#isStarted) return
    const sources = new Set(this.#parts.of(this.kit).map(({ source }) => source))
    for (const source of sources) if (source?.atStart) this.keepOpen(source)
  }

  #opening(settings: Readonly<Record<string, string>>): Opening {
    return {
      settings,
      resourceUpdated: (uri) => this.resourceUpdated(uri, true),
      resourcesChanged: () => {
        for (const session of this.sessions) session.resourcesChanged()
        this.reach?.listsChanged(['resources'])
      },
      report: (level, text) => this.report(level, text),
      exchange: (before, after) => exchangeIn(this.kit, before, after),
    }
  }

  #partsChanged(parts = this.#parts.of(this.kit)): void {
    this.#parts.serve(this.kit, parts)
    for (const session of this.sessions) session.partsChanged()
    this.reach?.listsChanged(['tools', 'resources', 'prompts'])
    this.#openSources()
  }

  #reportClosing(failures: readonly unknown[]): void {
    for (const failure of failures) {
      this.report('warning', `a shared connection did not close: ${messageOf(failure)}`)
    }
  }
}

const isThenable = (value: unknown): value is PromiseLike<unknown> =>
  typeof (value as { then?: unknown } | null | undefined)?.then === 'function'

/** Inserts the new parts at the position of the first replaced part; the author's changes to parts are kept. */
function exchangeIn(kit: Kit, before: readonly Part[], after: readonly Part[]): void {
  const gone = new Set(before)
  const at = kit.parts.findIndex((part) => gone.has(part))
  if (at < 0) return
  const kept = (parts: readonly Part[]) => parts.filter((part) => !gone.has(part))
  kit.replace([...kept(kit.parts.slice(0, at)), ...after, ...kept(kit.parts.slice(at))])
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
