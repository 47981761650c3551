import { messageOf } from '../../errors.js'

/** Where a feed's messages go as they come. */
export interface FeedSink {
  /** A message: its topic and its value; `at` is when it was taken, ISO 8601, where the message says so. */
  push(topic: string, value: unknown, at?: string): void
  /** The connection has been lost, and is looked for. */
  lost(reason: string): void
  /** The connection is there again. */
  found(): void
}
export interface FeedOpening {
  readonly settings: Readonly<Record<string, string | undefined>>
  /** Topics that are wanted, as MQTT has them: `scales/+/weight`. */
  readonly filters: readonly string[]
  /** Aborted when the feed is closed. */
  readonly signal: AbortSignal
}

/** A source that pushes: opened at first use, once for all sessions. A failed opening is tried again at the next use. */
export interface PushingSource {
  open(sink: FeedSink, opening: FeedOpening): Promise<() => void | Promise<void>> | (() => void | Promise<void>)
}

/** A source that is asked again and again: gives values by topic. What fails is a lost connection until it works again. */
export interface PolledSource {
  readonly everyMs: number
  poll(opening: FeedOpening): Promise<Readonly<Record<string, unknown>>> | Readonly<Record<string, unknown>>
}

/** Polling as pushing. */
export const pushingBy = ({ everyMs, poll }: PolledSource): PushingSource => ({
  async open(sink, opening) {
    let timer: NodeJS.Timeout | undefined
    const round = async () => {
      const values = await poll(opening)
      sink.found()
      for (const [topic, value] of Object.entries(values)) sink.push(topic, value)
    }
    const again = () => {
      if (opening.signal.aborted) return
      timer = setTimeout(() => {
        round()
          .catch((error: unknown) => sink.lost(messageOf(error)))
          .finally(again)
      }, everyMs)
      timer.unref()
    }
    await round()
    again()
    return () => clearTimeout(timer)
  },
})
