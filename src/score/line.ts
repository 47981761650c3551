import type { TapeEntry } from '../tape/entry.js'

/** One line of a score: an arrow between two lanes, or a mark in a lane. */
export interface Line {
  sequence: number
  at: number
  target: string
  /**
   * `call` and `result` are arrows between host and server; `question` and `reply` continue to the user (or a model
   * that the user plays); `upstream` goes beyond the server; `page` is between the host and its view; `mark` belongs to
   * a call; the others stand alone.
   */
  shape:
    | 'page'
    | 'call'
    | 'result'
    | 'question'
    | 'reply'
    | 'mark'
    | 'upstream'
    | 'note'
    | 'stderr'
    | 'stray'
    | 'state'
  from: 'host' | 'server' | 'page'
  title: string
  detail: string
  isFault: boolean
  /** True for messages that maintain the connection, which are drawn in grey. */
  isQuiet: boolean
  tookMs: number | undefined
  /** Progress of the call, from 0 to 1, if a progress notification says so. */
  share: number | undefined
  /** Sequence number of the call that this responds to or marks. */
  of: number | undefined
  /** True if the call became a task, whose bar continues. */
  goesOn: boolean
  /** The name of the layer that made the mark: `limitRate`. */
  layer: string | undefined
  /** Sequence number of the previous result of the same call, for comparison. */
  previous: number | undefined
  /** Calls that are open at this time, for the bars on the server's lane. */
  open: readonly Bar[]
  /** `isCut` if only the beginning of a large message is available. */
  entry: TapeEntry & { isCut?: true }
}

export interface Bar {
  /** Sequence number of the call. */
  sequence: number
  /** Column among simultaneously open bars. */
  slot: number
}
