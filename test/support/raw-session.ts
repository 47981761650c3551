import { Engine, type EngineOptions } from '../../src/engine/engine.js'
import { RunningKit } from '../../src/engine/running-kit.js'
import type { Report, RunningOptions } from '../../src/engine/running-options.js'
import { compilingValidator } from '../../src/kit/compiling-validator.js'
import type { Kit } from '../../src/kit/kit.js'
import type { Message } from '../../src/protocol/messages.js'
import { Intake } from '../../src/transport/intake.js'

// biome-ignore lint/suspicious/noExplicitAny: tests look into messages freely
export type Loose = any

/** A session without a transport: accepts messages as JSON values and returns them in order. */
export class RawSession {
  readonly sent: Loose[] = []
  readonly reports: Report[] = []
  readonly running: RunningKit
  readonly engine: Engine
  readonly #intake: Intake
  #nextId = 1
  #waiting: (() => void)[] = []

  constructor(kit: Kit, options: Partial<RunningOptions> = {}, engineOptions: EngineOptions = {}) {
    const report = (given: Report) => this.reports.push(given)
    this.running = new RunningKit(kit, { environment: {}, validator: compilingValidator, report, ...options })
    this.#intake = new Intake(
      () => this.engine,
      (messages) => this.#came(messages),
    )
    this.engine = new Engine(
      this.running,
      {
        send: (message, related) => this.#intake.send(message, related),
        settled: (id) => this.#intake.settled(id),
      },
      engineOptions,
    )
  }

  static async open(kit: Kit, revision = '2025-11-25', options: Partial<RunningOptions> = {}): Promise<RawSession> {
    const session = new RawSession(kit, options)
    await session.initialize(revision)
    session.give({ jsonrpc: '2.0', method: 'notifications/initialized' })
    return session
  }

  initialize(revision: string, capabilities: object = {}): Promise<Loose> {
    return this.ask('initialize', {
      protocolVersion: revision,
      capabilities,
      clientInfo: { name: 'test', version: '1' },
    })
  }

  /** Passes in one value, like a line. */
  give(value: unknown): void {
    this.#intake.take(value)
  }
  giveText(text: string): void {
    this.#intake.takeText(text)
  }

  /** Sends a request and returns its whole response. */
  ask(method: string, params?: object): Promise<Loose> {
    const id = this.#nextId++
    this.give({ jsonrpc: '2.0', id, method, ...(params ? { params } : {}) })
    return this.until((message) => message.id === id && !('method' in message))
  }

  /** The first matching message, already sent or still to come. */
  async until(isWanted: (message: Loose) => boolean): Promise<Loose> {
    for (;;) {
      const found = this.sent.find(isWanted)
      if (found) return found
      await new Promise<void>((resolve) => this.#waiting.push(resolve))
    }
  }

  methods(): string[] {
    return this.sent.map((message) => message.method).filter(Boolean)
  }

  #came(messages: Message | Message[]): void {
    this.sent.push(JSON.parse(JSON.stringify(messages)))
    for (const wake of this.#waiting.splice(0)) wake()
  }
}
