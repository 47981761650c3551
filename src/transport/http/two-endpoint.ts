import { Engine, type EngineOptions } from '../../engine/engine.js'
import type { RunningKit } from '../../engine/running-kit.js'
import { Intake } from '../intake.js'
import { streamHeaders } from './event-stream.js'
import type { HttpAnswer, Sink } from './exchange.js'
import { empty, refusal } from './exchange.js'
import type { HttpLimits } from './limits.js'

export interface TwoEndpointOptions extends EngineOptions {
  id: string
  /** Where the client posts its messages: a path with the session in it. */
  postPath: string
  limits: HttpLimits
  onHost?: ((engine: Engine) => void) | undefined
  onClosed(): void
}

/**
 * One session of the older form (digest §8): everything for the client goes out on the one stream that opened it, and each
 * POST is only acknowledged. The session lives as long as its stream.
 */
export class TwoEndpointSession {
  readonly engine: Engine
  readonly #intake: Intake
  readonly #options: TwoEndpointOptions
  #sink: Sink | undefined
  #heartbeat: ReturnType<typeof setInterval> | undefined

  constructor(running: RunningKit, options: TwoEndpointOptions) {
    this.#options = options
    this.#intake = new Intake(
      () => this.engine,
      (messages) => this.#write('message', JSON.stringify(messages)),
    )
    this.engine = new Engine(
      running,
      {
        send: (message, related) => this.#intake.send(message, related),
        settled: (id) => this.#intake.settled(id),
        opened: (engine) => options.onHost?.(engine),
      },
      { ...options, sessionId: options.id, limits: { maxInFlight: options.limits.maxInFlight } },
    )
  }

  /** The answer to the GET that opens the session: first where to post to, then messages. */
  open(): HttpAnswer {
    return {
      status: 200,
      headers: { ...streamHeaders },
      stream: (sink) => {
        this.#sink = sink
        this.#write('endpoint', this.#options.postPath)
        this.#heartbeat = setInterval(() => sink.write(': still here\n\n'), this.#options.limits.heartbeatMs)
        ;(this.#heartbeat as { unref?: () => void }).unref?.()
        return () => this.close('the client closed its stream')
      },
    }
  }

  take(text: string): HttpAnswer {
    if (this.engine.inFlight >= this.#options.limits.maxInFlight) {
      return refusal(429, `${this.#options.limits.maxInFlight} requests are in flight; wait for answers.`, -32000, {
        'retry-after': '5',
      })
    }
    this.#intake.takeText(text)
    return empty(202)
  }

  close(why: string): void {
    clearInterval(this.#heartbeat)
    const sink = this.#sink
    this.#sink = undefined
    this.engine.close(why)
    sink?.end()
    this.#options.onClosed()
  }

  #write(event: string, data: string): void {
    this.#sink?.write(`event: ${event}\ndata: ${data}\n\n`)
  }
}
