import { Engine } from '../engine/engine.js'
import type { RunningKit } from '../engine/running-kit.js'
import type { Identity } from '../kit/call.js'
import type { Wire, WireHandlers } from '../link/wire.js'
import { encode } from '../protocol/encoding.js'
import type { Message } from '../protocol/messages.js'
import { Intake } from './intake.js'

/** A wire to a kit in this process. Messages are copied as JSON, as on any wire. */
export class MemoryWire implements Wire {
  readonly label: string
  readonly #running: RunningKit
  readonly #closesKit: boolean
  readonly #identity: Identity | undefined
  #intake: Intake | undefined
  #engine: Engine | undefined

  constructor(running: RunningKit, closesKit: boolean, identity?: Identity) {
    this.#identity = identity
    this.label = `the kit ${running.kit.name}`
    this.#running = running
    this.#closesKit = closesKit
  }

  async start(handlers: WireHandlers): Promise<void> {
    await this.#running.loading
    this.#running.start()
    const deliver = (messages: Message | Message[]) => {
      for (const message of [messages].flat()) handlers.receive(copy(message))
    }
    const intake = new Intake(
      () => engine,
      (messages) => queueMicrotask(() => deliver(messages)),
    )
    const engine = new Engine(
      this.#running,
      {
        send: (message, related) => intake.send(message, related),
        settled: (id) => intake.settled(id),
      },
      this.#identity ? { identity: this.#identity } : {},
    )
    this.#intake = intake
    this.#engine = engine
  }

  send(message: Message): void {
    const copied = copy(message)
    queueMicrotask(() => this.#intake?.take(copied))
  }

  async close(): Promise<void> {
    this.#engine?.close('the link was closed')
    if (this.#closesKit) await this.#running.close()
  }
}

const copy = (message: Message): Message => JSON.parse(encode(message)) as Message
