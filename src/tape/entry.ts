import type { SignInStep } from '../access/sign-in/steps.js'
import type { JsonObject, Message } from '../protocol/messages.js'
import type { UpstreamRecord } from '../protocol/upstream.js'
import type { HttpExchange } from '../transport/http-wire.js'

export type TargetState = 'connecting' | 'open' | 'closed'
export type Side = 'client' | 'server'

/** Messages at a target. A score is drawn from these alone, and a tape is a file of them. */
export type TapeEvent =
  | {
      kind: 'message'
      from: Side
      message: Message
      /** Size as it was on the wire, in bytes. */
      bytes: number
      /** Number of the HTTP exchange that carried it. */
      exchange?: number
    }
  /** An HTTP request and the head of its answer; bodies are messages. */
  | ({ kind: 'http'; exchange: number } & Omit<HttpExchange, 'sent'>)
  /** An upstream record, which is not sent to the host. */
  | { kind: 'upstream'; record: UpstreamRecord }
  /** A step of a sign-in; `waiting` while a person is asked, by the card `question`. Secrets are masked. */
  | {
      kind: 'sign-in'
      step: Omit<SignInStep, 'outcome'> & { outcome: SignInStep['outcome'] | 'waiting' }
      question?: string
    }
  /** A message between the page of a tool and the host that shows it. */
  | { kind: 'page'; from: 'host' | 'page'; view: string; message: JsonObject }
  /** A line where messages belong that is none. */
  | { kind: 'stray'; from: Side; text: string }
  | { kind: 'stderr'; text: string }
  /**
   * `label` says what the target is, where it is met for the first time; `isClean` that it ended as it should.
   */
  | { kind: 'state'; state: TargetState; text: string; label?: string; isClean?: true }

export type TapeEntry = TapeEvent & {
  /** Counts from 1 in the order of the tape. Not in the file: a line's place says it. */
  sequence: number
  /** Milliseconds since 1970, with fractions. */
  at: number
  /** Id of the target it happened at. */
  target: string
}

/** First line of a tape. */
export interface TapeHeader {
  version: 1
  kind: 'tape'
  /** ISO 8601. */
  startedAt: string
  writer: string
}

/** Milliseconds since 1970, finer than `Date.now`. */
export const now = (): number => performance.timeOrigin + performance.now()
