import type { Engine } from '../engine/engine.js'
import { BatchReply } from '../protocol/batch.js'
import {
  errorResponse,
  type Message,
  parseJson,
  type RequestId,
  readMessage,
  unusableId,
} from '../protocol/messages.js'
import { codes } from '../protocol/rpc-error.js'

/**
 * Passes input of a stream-like transport (stdio, memory) to an engine: single messages, and batches if the revision
 * has them. The response to anything else is an error that describes the problem.
 */
export class Intake {
  readonly #engine: () => Engine
  readonly #write: (messages: Message | Message[]) => void
  #batches: Set<BatchReply> | undefined

  constructor(engine: () => Engine, write: (messages: Message | Message[]) => void) {
    this.#engine = engine
    this.#write = write
  }

  /**
   * Accepts one line of JSON. An invalid line is answered with an error, and the session continues (Overview,
   * "Messages").
   */
  takeText(text: string): void {
    let value: unknown
    try {
      value = parseJson(text)
    } catch (error) {
      return this.refuse(codes.parse, `Parse error: ${(error as Error).message}`)
    }
    this.take(value)
  }

  take(value: unknown): void {
    if (Array.isArray(value)) return this.#takeBatch(value)
    const read = readMessage(value)
    if (read.kind !== 'malformed') return this.#engine().receive(read.message)
    if (read.response) this.#write(read.response)
    else reportUnusable(this.#engine(), value)
  }

  refuse(code: number, message: string): void {
    this.#write(errorResponse(undefined, { code, message }))
  }

  /** Sends the engine's messages: into the response to their batch, or directly. */
  send(message: Message, related: RequestId | undefined): void {
    for (const batch of this.#batches ?? []) if (batch.take(message, related)) return
    this.#write(message)
  }

  settled(id: RequestId): void {
    for (const batch of this.#batches ?? []) {
      batch.settled(id)
      if (batch.isDone) this.#batches?.delete(batch)
    }
  }

  #takeBatch(values: unknown[]): void {
    const engine = this.#engine()
    if (engine.phase === 'new' || !engine.revision.batches) {
      return this.refuse(
        codes.invalidRequest,
        'Invalid request: this revision has no batches; send one message a line',
      )
    }
    if (values.length === 0) return this.refuse(codes.invalidRequest, 'Invalid request: the batch is empty')
    const { batch, messages } = openBatch(values, (replies) => this.#write(replies), engine)
    this.#batches ??= new Set()
    this.#batches.add(batch)
    for (const message of messages) engine.receive(message)
    batch.deliverIfDone()
    if (batch.isDone) this.#batches.delete(batch)
  }
}

/** Parses a batch into its valid messages, and a reply that contains the errors of the rest. */
export function openBatch(
  values: readonly unknown[],
  deliver: (replies: Message[]) => void,
  engine: Pick<Engine, 'isInFlight' | 'unusable'>,
) {
  const seen = new Set<RequestId>()
  const messages: Message[] = []
  const refusals: Message[] = []
  for (const value of values) {
    const read = readMessage(value)
    if (read.kind === 'malformed') {
      if (read.response) refusals.push(read.response)
      else reportUnusable(engine, value)
    } else if (read.kind === 'request' && read.message.method === 'initialize') {
      const message = 'Invalid request: initialize is never part of a batch'
      refusals.push(errorResponse(read.message.id, { code: codes.invalidRequest, message }))
    } else if (read.kind === 'request' && (seen.has(read.message.id) || engine.isInFlight(read.message.id))) {
      // Already refused: the response to the other request with this id must not get into this reply, nor end it.
      const message = `Invalid request: a request with id ${JSON.stringify(read.message.id)} is in flight`
      refusals.push(errorResponse(read.message.id, { code: codes.invalidRequest, message }))
    } else {
      if (read.kind === 'request') seen.add(read.message.id)
      messages.push(read.message)
    }
  }
  const ids = [...seen]
  const batch = new BatchReply(ids, deliver)
  for (const refusal of refusals) batch.add(refusal)
  return { batch, messages, ids }
}

/** Fails the request of this side that an unusable response belongs to. */
export function reportUnusable(engine: Pick<Engine, 'unusable'>, value: unknown): void {
  const id = unusableId(value)
  if (id !== undefined) engine.unusable(id)
}
