import { messageOf } from '../errors.js'
import { escapeControls } from '../escape/terminal.js'
import type { Identity } from '../kit/call.js'
import { namesIn, narrowed } from '../kit/choose.js'
import { type Kit, settingsFor } from '../kit/kit.js'
import type { Counters, Layer } from '../kit/layer.js'
import { partsOfLayers, withoutLayers } from '../kit/layers-around.js'
import type { Part } from '../kit/part.js'
import { isNoOutput, isStandardSchema } from '../kit/schema.js'
import { type Environment, maskFor, readSettings } from '../kit/settings.js'
import { type Opening, type Replacement, type Shared, SharedThings } from '../kit/shared.js'
import type { JsonSchemaValidator } from '../kit/validation.js'
import { isView, withOwnViews, withoutPages } from '../kit/view.js'
import type { Message } from '../protocol/messages.js'
import type { Implementation } from '../protocol/types.js'
import type { UpstreamRecord } from '../protocol/upstream.js'
import type { Letters } from '../store/letters.js'
import type { Member } from '../store/store.js'
import { TaskBoard } from '../tasks/board.js'
import type { TaskMirror } from '../tasks/task-mirror.js'
import { foundTelemetry, isSdkStarted } from '../telemetry/found.js'
import type { Telemetry } from '../telemetry/telemetry.js'
import { Gates } from './gates.js'
import { Openers } from './openers.js'
import { PartIndex } from './part-index.js'
import { Refreshes } from './refreshes.js'
import type { SessionPeer } from './session-peer.js'

/** A message for the operator's log. `text` is masked already. */
export interface Report {
  level: 'info' | 'warning' | 'error'
  text: string
}
/** Observes all messages of the sessions of a kit, for recordings. */
export interface Observer {
  message(session: SessionPeer, message: Message, from: 'client' | 'server'): void
  /** Called for each upstream record of a call, with masked secrets. */
  upstream(session: SessionPeer, record: UpstreamRecord): void
  closed(session: SessionPeer, why: string): void
}
export interface RunningOptions {
  /** Environment variables for settings. */
  environment: Environment
  validator: JsonSchemaValidator
  /** Replacements of shared connections: `[[scales, fake]]`. */
  replace?: readonly Replacement[]
  report?: (report: Report) => void
  /** Runs an author's function; Node marks it, so that the stdout guard can name the tool. */
  inCall?: <T>(label: string, run: () => T) => T
  /** Reduces the kit's parts, now and after each change. */
  choose?: (parts: readonly Part[]) => readonly Part[]
  /** Layers around all parts, outside those of the kit. */
  layers?: readonly Layer[]
  /** Runs parts without any layers: for tests of the parts themselves. */
  withoutLayers?: boolean
  /** Maximum number of entries on a page of a list. */
  pageSize?: number
  /** Sends upstream records (requests, statements, files) to hosts that ask for them. */
  showsUpstream?: boolean
  observer?: Observer
  /** Destination of spans and metrics. Default: the OpenTelemetry SDK of this process, if one is running. `false` makes none. */
  telemetry?: Telemetry | false
  /** Runs without required settings, for inspection instead of calls. */
  toleratesMissing?: boolean
}

/** Sessions that other processes serve too: they are notified of changes wherever they are. */
export interface Reach {
  /** `isEverywhere` if every process receives the change itself, as from a feed. */
  resourceUpdated(uri: string, isEverywhere: boolean): void
  listsChanged(lists: readonly PartList[]): void
  countSessions(): Promise<number>
  /** Has all processes refresh a shared connection together; false if that is impossible. */
  repeat(name: string, everyMs: number): boolean
  /** Sends a message that belongs to no request to a session in any process. */
  send(session: string, message: Message): void
}
export type PartList = 'tools' | 'resources' | 'prompts'

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
  index: PartIndex
  /** True if some parts are for hosts that show views. */
  hasViews = false
  #outer: readonly Layer[]
  #hearing: readonly Layer[] = []
  #layers: readonly Layer[] = []
  readonly #options: RunningOptions
  readonly #narrowed = new Map<string, PartIndex>()
  readonly #gates = new Gates((text) => this.report('error', text))
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
    this.#outer = this.#outerOf(kit)
    const parts = this.#partsOf(kit)
    const declared = settingsFor(kit, parts)
    this.settings = Object.freeze(readSettings(declared, options.environment, options.toleratesMissing))
    this.shared = this.#newThings()
    this.mask = maskFor(declared, this.settings)
    this.implementation = implementationOf(kit)
    this.index = this.#indexed(parts)
    this.#stopListening = kit.onReplace(() => this.#partsChanged())
  }

  /**
   * The parts that a session sees: those that it selected, that are visible to its caller, and parts for views only if
   * its host shows views.
   */
  indexFor(only: string | undefined, identity?: Identity, showsViews = false): PartIndex {
    const hidden = identity && this.#gates.hiddenFrom(identity, this.kit, this.index)
    const isPlain = this.hasViews && !showsViews
    if (only === undefined && !hidden && !isPlain) return this.index
    const key = JSON.stringify([only, hidden?.key, isPlain])
    const known = this.#narrowed.get(key)
    if (known) return known
    const all = this.#partsOf(this.kit)
    const parts = hidden ? all.filter((part) => !hidden.parts.has(part)) : all
    const chosen = withOwnViews(only === undefined ? parts : narrowed(parts, namesIn(only)), all)
    const made = new PartIndex(
      isPlain ? withoutPages(chosen) : chosen,
      this.validator,
      this.#outer,
      this.index,
      this.hasViews && showsViews,
    )
    // Callers choose the text, so only some results are cached.
    if (this.#narrowed.size >= 100) this.#narrowed.clear()
    this.#narrowed.set(key, made)
    return made
  }

  /**
   * Puts another kit in this one's place without ending a session: calls in flight finish on the old one, whose shared things
   * are closed then. Throws a `JexoError`, and changes nothing, where the new one cannot be served.
   */
  exchange(kit: Kit): void {
    const parts = this.#partsOf(kit)
    const declared = settingsFor(kit, parts)
    const settings = Object.freeze(
      readSettings(declared, this.#options.environment, this.#options.toleratesMissing),
    )
    const before = this.shared
    this.#stopListening()
    this.#openers.close()
    this.#openers = this.#newOpeners()
    this.kit = kit
    this.#outer = this.#outerOf(kit)
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
    const nameOf = (layer: Layer) => `${layer.name} ${this.#layers.indexOf(layer)}`
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
    for (const layer of this.#hearing) layer.onResourceUpdated?.(uri)
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
    const sources = new Set(this.#partsOf(this.kit).map(({ source }) => source))
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

  #partsOf(kit: Kit): readonly Part[] {
    const parts = this.#options.choose ? withOwnViews(this.#options.choose(kit.parts), kit.parts) : kit.parts
    if (this.#options.withoutLayers) return parts
    const added = partsOfLayers([...this.#outerOf(kit), ...parts.flatMap(({ layers = [] }) => layers)])
    return added.length === 0 ? parts : [...parts, ...added]
  }

  #outerOf = (kit: Kit): readonly Layer[] => {
    const { layers = [] } = this.#options
    if (this.#options.withoutLayers) return withoutLayers
    return layers.length === 0 ? kit.layers : [...layers, ...kit.layers]
  }

  #indexed(parts: readonly Part[]): PartIndex {
    const own = this.#options.withoutLayers ? [] : parts.flatMap(({ layers = [] }) => layers)
    this.#layers = [...new Set([...this.#outer, ...own])]
    this.#hearing = this.#layers.filter((layer) => layer.onResourceUpdated)
    this.hasViews = parts.some((part) => isView(part) || (part.kind === 'tool' && part.forPages !== undefined))
    return new PartIndex(parts, this.validator, this.#outer, this.index, this.hasViews)
  }

  #partsChanged(parts = this.#partsOf(this.kit)): void {
    this.index = this.#indexed(parts)
    this.#narrowed.clear()
    for (const session of this.sessions) session.partsChanged()
    this.reach?.listsChanged(['tools', 'resources', 'prompts'])
    this.#openSources()
  }

  #reportClosing(failures: readonly unknown[]): void {
    for (const failure of failures) {
      this.report('warning', `a shared thing did not close: ${messageOf(failure)}`)
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
