import type { SignInStep } from '../access/sign-in/steps.js'
import type { JsonObject, Message } from '../protocol/messages.js'
import type { UpstreamRecord } from '../protocol/upstream.js'
import type { HttpExchange } from '../transport/http-exchange.js'

export type TargetState = 'connecting' | 'open' | 'closed'
export type Side = 'client' | 'server'

/** An event at a target. A score is drawn only from these, and a tape is a file of them. */
export type TapeEvent =
  | {
      kind: 'message'
      from: Side
      message: Message
      /** Size on the wire, in bytes. */
      bytes: number
      /** Number of the HTTP exchange that carried it. */
      exchange?: number
    }
  /** An HTTP request and the head of its response; bodies are messages. */
  | ({ kind: 'http'; exchange: number } & Omit<HttpExchange, 'sent'>)
  /** An upstream record, which is not sent to the host. */
  | { kind: 'upstream'; record: UpstreamRecord }
  /** A step of a sign-in; `waiting` while the card `question` asks the user. Secrets are masked. */
  | {
      kind: 'sign-in'
      step: Omit<SignInStep, 'outcome'> & { outcome: SignInStep['outcome'] | 'waiting' }
      question?: string
    }
  /** A message between a view and its host. */
  | { kind: 'page'; from: 'host' | 'page'; view: string; message: JsonObject }
  /** A line that is not a message, in a place for messages. */
  | { kind: 'stray'; from: Side; text: string }
  | { kind: 'stderr'; text: string }
  /** `label` describes the target at its first event; `isClean` says that it ended as expected. */
  | { kind: 'state'; state: TargetState; text: string; label?: string; isClean?: true }

export type TapeEntry = TapeEvent & {
  /** Numbered from 1 in the order of the tape. Not in the file, since the position of the line gives it. */
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

/** Milliseconds since 1970, with a finer resolution than `Date.now`. */
export const now = (): number => performance.timeOrigin + performance.now()
