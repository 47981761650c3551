import { messageOf } from '../../errors.js'
import type { JsonObject } from '../../protocol/messages.js'

/** Additional facts about a value. */
export interface ReadingNotes {
  /** Quality of the value. Default: `good`. */
  readonly quality?: 'good' | 'uncertain' | 'bad'
  /** Reason if the quality is not good, such as `BadSensorFailure`. */
  readonly status?: string
}
/** Receives the messages of a source. */
export interface FeedSink {
  /** A message with its topic and value; `at` is the time of the reading (ISO 8601), if the message contains it. */
  push(topic: string, value: unknown, at?: string, notes?: ReadingNotes): void
  /** The connection was lost, and is being restored. */
  lost(reason: string): void
  /** The connection was restored. */
  found(): void
}
export interface FeedOpening {
  readonly settings: Readonly<Record<string, string | undefined>>
  /** Topic filters in MQTT syntax: `scales/+/weight`. */
  readonly filters: readonly string[]
  /** Paths of methods that may be called, in the same syntax. */
  readonly methods?: readonly string[]
  /** Aborted when the feed is closed. */
  readonly signal: AbortSignal
}

/** An opened source. */
export interface OpenedSource {
  close(): void | Promise<void>
  /** Calls a method of the device by its path, with arguments by name. */
  invoke?(path: string, input: JsonObject, signal: AbortSignal): Promise<unknown>
}

/** A source that pushes: opened at first use, once for all sessions. A failed attempt is repeated at the next use. */
export interface PushingSource {
  /** Connects. Returns the function that closes the source, or an object with it. */
  open(
    sink: FeedSink,
    opening: FeedOpening,
  ): Promise<OpenedSource | (() => void | Promise<void>)> | OpenedSource | (() => void | Promise<void>)
  /** True if others send to the source. It opens at startup, because messages that arrive earlier are lost. */
  readonly isListener?: boolean
  /** Packages that the source loads with `import()`; `jexo pack` includes them. */
  readonly packages?: readonly string[]
}

/** A source that is polled: returns values by topic. A failed poll counts as a lost connection until one succeeds. */
export interface PolledSource {
  readonly everyMs: number
  poll(opening: FeedOpening): Promise<Readonly<Record<string, unknown>>> | Readonly<Record<string, unknown>>
}

/** Converts a polled source to one that pushes. */
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
