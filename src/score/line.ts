import type { TapeEntry } from '../tape/entry.js'

/** One line of a score: something that crossed from one lane to another, or a mark in a lane. */
export interface Line {
  sequence: number
  at: number
  target: string
  /**
   * `call` and `answer` are arrows between host and server, `question` and `reply` go on to the person (or the model in the
   * person's hands), `upstream` goes beyond the server; `page` lies between the host and the page that it shows; `mark` belongs to a
   * call; the rest stand alone.
   */
  shape:
    | 'page'
    | 'call'
    | 'answer'
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
  /** How far a call is, 0 to 1, where a progress mark says so. */
  share: number | undefined
  /** Sequence of the call that this answers or marks. */
  of: number | undefined
  /** True if the call became a task, whose bar continues. */
  goesOn: boolean
  /** A mark that a layer around the call has made: `limitRate`. */
  layer: string | undefined
  /** Sequence of the answer before to the same call, to compare with. */
  previous: number | undefined
  /** Calls that are open while this happens, for the bars on the server's lane. */
  open: readonly Bar[]
  /** `isCut` where only the beginning of a large message is at hand. */
  entry: TapeEntry & { isCut?: true }
}

export interface Bar {
  /** Sequence of the call. */
  sequence: number
  /** Column among the bars that are open at the same time. */
  slot: number
}
