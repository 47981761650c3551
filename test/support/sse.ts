import type { Loose } from './raw-session.js'

export interface SseEvent {
  id: string | undefined
  message: Loose
}

/** An event stream that is read as it arrives. */
export class SseReader {
  readonly events: SseEvent[] = []
  isOver = false
  readonly status: number
  readonly #aborter: AbortController
  #endpoint: string | undefined
  #wake: (() => void)[] = []

  private constructor(response: Response, aborter: AbortController) {
    this.status = response.status
    this.#aborter = aborter
    void this.#read(response)
  }

  static async open(url: string, init: RequestInit): Promise<SseReader> {
    const aborter = new AbortController()
    const response = await fetch(url, { ...init, signal: aborter.signal })
    return new SseReader(response, aborter)
  }

  get messages(): Loose[] {
    return this.events.map(({ message }) => message).filter((message) => message !== undefined)
  }
  get lastId(): string | undefined {
    return this.events.findLast(({ id }) => id !== undefined)?.id
  }

  /** The first matching message, once it has arrived. */
  async message(isLike: (message: Loose) => boolean): Promise<Loose> {
    return this.#until(() => this.messages.find(isLike))
  }

  /** The address for posted messages in the older form. */
  endpoint(): Promise<string> {
    return this.#until(() => this.#endpoint)
  }

  /** The end of the stream. */
  over(): Promise<boolean> {
    return this.#until(() => this.isOver || undefined)
  }

  /** Breaks the connection. */
  cut(): void {
    this.#aborter.abort()
  }

  async #until<T>(look: () => T | undefined): Promise<T> {
    const giveUpAt = Date.now() + 20_000
    for (;;) {
      const found = look()
      if (found !== undefined) return found
      if (Date.now() > giveUpAt) throw new Error(`it did not come; there is ${JSON.stringify(this.events)}`)
      await new Promise<void>((wake) => {
        this.#wake.push(wake)
        setTimeout(wake, 200)
      })
    }
  }

  async #read(response: Response): Promise<void> {
    const decoder = new TextDecoder()
    let text = ''
    try {
      for await (const chunk of response.body ?? []) {
        text += decoder.decode(chunk, { stream: true })
        const blocks = text.split('\n\n')
        text = blocks.pop() ?? ''
        for (const block of blocks) this.#take(block)
      }
    } catch {
      // Closed by this side.
    }
    this.isOver = true
    this.#awake()
  }

  #take(block: string): void {
    if (block.startsWith(':')) return
    const id = /^id: (.*)$/m.exec(block)?.[1]
    const data = /^data: (.+)$/m.exec(block)?.[1]
    if (block.startsWith('event: endpoint')) this.#endpoint = data
    else this.events.push({ id, message: data === undefined ? undefined : JSON.parse(data) })
    this.#awake()
  }

  #awake(): void {
    for (const wake of this.#wake.splice(0)) wake()
  }
}
