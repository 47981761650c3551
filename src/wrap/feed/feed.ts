import { Refusal } from '../../kit/refusal.js'
import type { Opening } from '../../kit/shared.js'
import type { JsonObject } from '../../protocol/messages.js'
import { type Channel, readingOf } from './channel.js'
import { Pacer } from './pacer.js'
import type { FeedOpening, FeedSink, OpenedSource, PushingSource, ReadingNotes } from './source.js'

export interface Reading {
  readonly value: unknown
  /** Label of the value, if the channel defines one. */
  readonly label?: string
  /** Time of the reading, ISO 8601; the time of arrival if the message contains none. */
  readonly at: string
  readonly receivedAt: string
  /** Quality of the value, if the source reports it. */
  readonly quality?: ReadingNotes['quality']
  /** Reason if the quality is not good. */
  readonly status?: string
}
export interface FeedLimits {
  /** Maximum number of stored readings per series. */
  readonly history: number
  /** Maximum number of stored series. */
  readonly maxSeries: number
  /** Time without readings after which a series is stale. Default: never. */
  readonly staleAfterMs: number | undefined
  /** Minimum interval between notifications to the subscribers of a series. */
  readonly updateEveryMs: number
}
export interface ConnectionState {
  readonly state: 'connected' | 'lost'
  /** Time of the last change of the state, ISO 8601. */
  readonly since: string
  readonly reason?: string
  /** Number of lost connections. */
  readonly losses: number
}
type Keys = Readonly<Record<string, string>>

/** Readings of one channel and one set of variables, such as the weights of one hive. */
export interface Series {
  readonly channel: Channel
  readonly keys: Keys
  readonly readings: readonly Reading[]
}
interface MutableSeries extends Series {
  readonly readings: Reading[]
  /** Approximate size of each, in characters. */
  readonly sizes: number[]
  wasStale: boolean
}

/** URIs of a feed's resources. */
export interface FeedUris {
  latest(channel: Channel, keys: Keys): string
  history(channel: Channel, keys: Keys): string
  readonly status: string
}

/** An open feed: the latest readings of each series, and the state of its source. All sessions share it. */
export class Feed {
  readonly channels: readonly Channel[]
  readonly #limits: FeedLimits
  readonly #uris: FeedUris
  readonly #opening: Pick<Opening, 'resourceUpdated' | 'resourcesChanged' | 'report'>
  readonly #series = new Map<string, MutableSeries>()
  readonly #waiting = new Set<() => void>()
  readonly #ending = new AbortController()
  /** Channels for which a missing field was reported. */
  readonly #odd = new Set<string>()
  readonly #pacer: Pacer
  readonly #openedAt = performance.now()
  #size = 0
  #staleTimer: NodeJS.Timeout | undefined
  #opened: OpenedSource = { close: () => {} }
  #connection: ConnectionState = { state: 'connected', since: new Date().toISOString(), losses: 0 }

  constructor(
    channels: readonly Channel[],
    limits: FeedLimits,
    uris: FeedUris,
    opening: Pick<Opening, 'resourceUpdated' | 'resourcesChanged' | 'report'>,
  ) {
    this.channels = channels
    this.#limits = limits
    this.#uris = uris
    this.#opening = opening
    this.#pacer = new Pacer(limits.updateEveryMs)
  }

  /** How long it has been open, in milliseconds; retained messages of a broker arrive at the beginning. */
  get ageMs(): number {
    return performance.now() - this.#openedAt
  }

  get connection(): ConnectionState {
    return this.#connection
  }

  /** Connects. Rejects if the source cannot be reached the first time. */
  async connect(
    source: PushingSource,
    settings: FeedOpening['settings'],
    methods: readonly string[] = [],
  ): Promise<void> {
    const sink: FeedSink = {
      push: (topic, value, at, notes) => this.#take(topic, value, at, notes),
      lost: (reason) => this.#turn('lost', reason),
      found: () => this.#turn('connected'),
    }
    const filters = [...new Set(this.channels.map(({ pattern }) => pattern.filter))]
    const opened = await source.open(sink, { settings, filters, methods, signal: this.#ending.signal })
    this.#opened = typeof opened === 'function' ? { close: opened } : opened
    const { staleAfterMs } = this.#limits
    if (staleAfterMs === undefined) return
    this.#staleTimer = setInterval(() => this.#tellStale(), Math.max(250, staleAfterMs / 4))
    this.#staleTimer.unref()
  }

  async close(): Promise<void> {
    this.#ending.abort()
    clearInterval(this.#staleTimer)
    this.#pacer.close()
    await this.#opened.close()
  }

  /** Calls a method of the device. Rejects with a `Refusal` if it refuses, or has no methods. */
  async invoke(path: string, input: JsonObject, signal: AbortSignal): Promise<unknown> {
    if (!this.#opened.invoke) throw new Refusal('This source has no methods to call.')
    return this.#opened.invoke(path, input, signal)
  }

  /** The newest reading of a series; undefined if there is none yet. */
  latest(channel: string, keys: Keys = {}): Reading | undefined {
    return this.series(channel, keys)?.readings.at(-1)
  }

  /** Readings of a series, oldest first. */
  history(channel: string, keys: Keys = {}): readonly Reading[] {
    return this.series(channel, keys)?.readings ?? []
  }

  series(channel: string, keys: Keys = {}): Series | undefined {
    return this.#series.get(idOf(channel, keys))
  }

  /** All series, or those of one channel. */
  all(channel?: string): Series[] {
    return [...this.#series.values()].filter((one) => channel === undefined || one.channel.name === channel)
  }

  /** True if no reading has come for longer than expected, or none can come. */
  isStale(series: Series, now = Date.now()): boolean {
    const { staleAfterMs } = this.#limits
    const age = now - Date.parse(series.readings.at(-1)?.receivedAt ?? '')
    return this.#connection.state === 'lost' || (staleAfterMs !== undefined && age > staleAfterMs)
  }

  /** Waits until a condition holds, since a newly opened feed has no readings. False if it took too long. */
  async until(isThere: () => boolean, timeoutMs: number, signal: AbortSignal): Promise<boolean> {
    if (isThere()) return true
    return new Promise((resolve, reject) => {
      const finish = (act: () => void) => {
        clearTimeout(timer)
        this.#waiting.delete(look)
        signal.removeEventListener('abort', onAbort)
        act()
      }
      const look = () => isThere() && finish(() => resolve(true))
      const onAbort = () => finish(() => reject(signal.reason))
      const timer = setTimeout(() => finish(() => resolve(false)), timeoutMs)
      this.#waiting.add(look)
      signal.addEventListener('abort', onAbort, { once: true })
    })
  }

  #take(topic: string, message: unknown, at: string | undefined, notes: ReadingNotes | undefined): void {
    const receivedAt = new Date().toISOString()
    for (const channel of this.channels) {
      const keys = channel.pattern.match(topic)
      if (!keys) continue
      const reading = readingOf(channel, message, receivedAt, at, notes)
      // The last good reading stays.
      if (!reading) {
        this.#tellOdd(channel, topic)
        continue
      }
      const series = this.#seriesOf(channel, keys)
      this.#keep(series, reading)
      series.wasStale = false
      this.#tell(series)
    }
    for (const look of [...this.#waiting]) look()
  }

  /** Adds a reading. Removes the oldest readings of a full series, and inactive series if all series together are too large. */
  #keep(series: MutableSeries, reading: Reading): void {
    const size = sizeOf(reading.value)
    series.readings.push(reading)
    series.sizes.push(size)
    this.#size += size
    if (series.readings.length > this.#limits.history) this.#forgetFirst(series)
    for (const one of this.#series.values()) {
      if (this.#size <= maxSize) return
      while (this.#size > maxSize && one.readings.length > 1) this.#forgetFirst(one)
    }
    for (const id of this.#series.keys()) {
      if (this.#size <= maxSize || this.#series.size === 1) return
      this.#drop(id)
    }
  }

  #forgetFirst(series: MutableSeries): void {
    series.readings.shift()
    this.#size -= series.sizes.shift() ?? 0
  }

  #drop(id: string): void {
    for (const size of this.#series.get(id)?.sizes ?? []) this.#size -= size
    this.#series.delete(id)
  }

  /** Reported once for each channel, since such a device sends the same format with every message. */
  #tellOdd({ name, field }: Channel, topic: string): void {
    if (this.#odd.has(name)) return
    this.#odd.add(name)
    const place = JSON.stringify(topic.slice(0, 200))
    this.#opening.report(
      'warning',
      `${this.#uris.status}: a message on ${place} has no field "${field}"; such messages of ${name} are ignored`,
    )
  }

  #seriesOf(channel: Channel, keys: Keys): MutableSeries {
    const id = idOf(channel.name, keys)
    const known = this.#series.get(id)
    // Moves the series to the end, so that the first one is the longest inactive.
    if (known) this.#series.delete(id)
    const series = known ?? { channel, keys, readings: [], sizes: [], wasStale: false }
    this.#series.set(id, series)
    if (!known) {
      const [oldest] = this.#series.keys()
      if (this.#series.size > this.#limits.maxSeries && oldest !== undefined) this.#drop(oldest)
      this.#pacer.run('list', () => this.#opening.resourcesChanged())
    }
    return series
  }

  #tell({ channel, keys }: Series): void {
    const latest = this.#uris.latest(channel, keys)
    this.#pacer.run(latest, () => {
      this.#opening.resourceUpdated(latest)
      this.#opening.resourceUpdated(this.#uris.history(channel, keys))
    })
  }

  #tellStale(): void {
    for (const series of this.#series.values()) {
      const isStale = this.isStale(series)
      if (isStale && !series.wasStale) this.#tell(series)
      series.wasStale = isStale
    }
  }

  #turn(state: ConnectionState['state'], reason?: string): void {
    if (this.#connection.state === state || this.#ending.signal.aborted) return
    const losses = this.#connection.losses + (state === 'lost' ? 1 : 0)
    this.#connection = {
      state,
      since: new Date().toISOString(),
      losses,
      ...(reason === undefined ? {} : { reason }),
    }
    if (state === 'lost')
      this.#opening.report('warning', `${this.#uris.status}: the connection was lost (${reason}); reconnecting`)
    else this.#opening.report('info', `${this.#uris.status}: connected again`)
    this.#opening.resourceUpdated(this.#uris.status)
    for (const series of this.#series.values()) this.#tell(series)
  }
}

/** Approximate maximum size of all stored readings, in characters. */
const maxSize = 50_000_000

const sizeOf = (value: unknown): number =>
  typeof value === 'string'
    ? value.length
    : typeof value === 'object' && value !== null
      ? JSON.stringify(value).length
      : 8

const idOf = (channel: string, keys: Keys): string =>
  JSON.stringify([channel, ...Object.entries(keys).sort(([a], [b]) => (a < b ? -1 : 1))])
