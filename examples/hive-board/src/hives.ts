import { connect, type Link, type Question, type QuestionAnswer } from 'jexo/link'

export interface Reading {
  at: number
  kg: number
}
export interface Hive {
  hive: string
  site: string
  readings: readonly Reading[]
  isStale: boolean
}
export interface BoardState {
  connection: 'connecting' | 'live' | 'lost'
  /** Why the connection was lost, as text. */
  why: string
  /** How often the connection was lost and restored. */
  losses: number
  hives: readonly Hive[]
}

const pulseMs = 2500
const mostReadings = 120
const scale = (hive: string) => `scales://weight/${hive}`

/** The hives of a server: read once, then updated with every reading. After a lost connection it reconnects. */
export class Hives {
  #state: BoardState = { connection: 'connecting', why: '', losses: 0, hives: [] }
  #link: Link | undefined
  #timer: ReturnType<typeof setTimeout> | undefined
  #isOver = false
  /** A connection that never existed was not lost. */
  #wasLive = false
  readonly #url: string
  readonly #changed: (state: BoardState) => void
  readonly #ask: (question: Question) => Promise<QuestionAnswer>

  constructor(
    url: string,
    changed: (state: BoardState) => void,
    ask: (question: Question) => Promise<QuestionAnswer>,
  ) {
    this.#url = url
    this.#changed = changed
    this.#ask = ask
    void this.#pulse()
  }

  /** Calls a tool. Returns its result, or the reason of its failure, as text. */
  async record(hive: string, on: string): Promise<{ text: string; isError: boolean }> {
    if (!this.#link) return { text: 'The server is not reachable.', isError: true }
    try {
      const { content, isError = false } = await this.#link.call(
        'record_inspection',
        { hive, on },
        { timeoutMs: 600_000 },
      )
      return { text: content.map((block) => (block.type === 'text' ? block.text : '')).join(' '), isError }
    } catch (error) {
      return { text: error instanceof Error ? error.message : String(error), isError: true }
    }
  }

  close(): void {
    this.#isOver = true
    clearTimeout(this.#timer)
    void this.#link?.close()
  }

  /**
   * Checks repeatedly whether the server responds. A restarted server gives a new session, with the same subscriptions.
   */
  async #pulse(): Promise<void> {
    try {
      if (!this.#link) await this.#open()
      else await this.#link.ping()
      if (this.#state.connection !== 'live') {
        await this.#readAll()
        const losses = this.#state.losses + (this.#wasLive ? 1 : 0)
        this.#wasLive = true
        this.#set({ connection: 'live', why: '', losses })
      }
    } catch (error) {
      this.#set({ connection: 'lost', why: error instanceof Error ? error.message : String(error) })
    }
    if (!this.#isOver) this.#timer = setTimeout(() => void this.#pulse(), pulseMs)
  }

  async #open(): Promise<void> {
    const link = await connect(this.#url, {
      timeoutMs: 10_000,
      onQuestion: this.#ask,
      clientInfo: { name: 'hive-board', version: '0.1.0' },
    })
    link.on('resourceUpdated', ({ uri }) => void this.#readOne(uri))
    // A link that has closed reconnects at the next update.
    link.on('closed', () => {
      if (this.#link === link) this.#link = undefined
    })
    this.#link = link
    const hives = JSON.parse(await this.#text('apiary://hives')) as { hive: string; site: string }[]
    this.#set({ hives: hives.map(({ hive, site }) => ({ hive, site, readings: [], isStale: true })) })
    await Promise.all(hives.map(({ hive }) => link.subscribe(scale(hive))))
  }

  /** All readings reported so far, by hive. */
  async #readAll(): Promise<void> {
    const hives = await Promise.all(
      this.#state.hives.map(async (hive): Promise<Hive> => {
        const text = await this.#text(`${scale(hive.hive)}/history`)
        const { readings, isStale } = JSON.parse(text) as {
          readings: { value: number; at: string }[]
          isStale: boolean
        }
        const fresh = readings.map(({ value, at }) => ({ kg: value, at: Date.parse(at) }))
        return { ...hive, readings: merged(hive.readings, fresh), isStale }
      }),
    )
    this.#set({ hives })
  }

  async #readOne(uri: string): Promise<void> {
    try {
      const { hive, value, at, isStale } = JSON.parse(await this.#text(uri)) as {
        hive: string
        value: number
        at: string
        isStale: boolean
      }
      const reading = { kg: value, at: Date.parse(at) }
      const hives = this.#state.hives.map((known) =>
        known.hive === hive ? { ...known, readings: merged(known.readings, [reading]), isStale } : known,
      )
      this.#set({ hives })
    } catch {
      // The next check finds out whether the server is gone.
    }
  }

  async #text(uri: string): Promise<string> {
    const { contents } = (await this.#link?.read(uri)) ?? { contents: [] }
    const [first] = contents
    if (!first || !('text' in first)) throw new Error(`${uri} has no text`)
    return String(first.text)
  }

  #set(change: Partial<BoardState>): void {
    this.#state = { ...this.#state, ...change }
    if (!this.#isOver) this.#changed(this.#state)
  }
}

/** Readings in order, without duplicates. */
function merged(before: readonly Reading[], more: readonly Reading[]): Reading[] {
  const all = new Map([...before, ...more].map((reading) => [reading.at, reading]))
  return [...all.values()].sort((one, other) => one.at - other.at).slice(-mostReadings)
}
