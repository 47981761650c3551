import { messageOf } from '../../errors.js'
import type { Call } from '../../kit/call.js'
import type { JsonObject } from '../../protocol/messages.js'
import { Restarts } from '../source/restarts.js'
import { processErrors } from './errors.js'
import { type ProcessRun, type Reply, Worker } from './worker.js'

export interface WorkersOptions {
  readonly run: Omit<ProcessRun, 'onLine'>
  /** Maximum number of concurrent processes. */
  readonly processes: number
  readonly report: (level: 'info' | 'warning', text: string) => void
}

/** The running processes of a program: started as calls need them, and restarted when they end. */
export class Workers {
  readonly #options: WorkersOptions
  readonly #running = new Set<Worker>()
  /** Calls that wait for a worker. */
  readonly #queue: (() => void)[] = []
  readonly #restarts = new Restarts()
  #isClosed = false

  constructor(options: WorkersOptions) {
    this.#options = options
  }

  /** Calls a function. Rejects like {@link Worker.call}, or while the program fails to start. */
  async call(name: string, input: JsonObject, call: Call): Promise<Reply> {
    const worker = await this.#free(call.signal)
    try {
      return await worker.call(name, input, call)
    } finally {
      this.#next()
    }
  }

  async close(): Promise<void> {
    this.#isClosed = true
    this.#next()
    await Promise.all([...this.#running].map((worker) => worker.close()))
  }

  /** A worker that can accept a call: an idle one, a new one, or the first that becomes idle. */
  async #free(signal: AbortSignal): Promise<Worker> {
    for (;;) {
      signal.throwIfAborted()
      const { program } = this.#options.run
      if (this.#isClosed) throw processErrors.ended(program, 'was closed', '')
      const free = [...this.#running].find(({ isFree }) => isFree)
      if (free) return free
      const { waitMs } = this.#restarts
      if (waitMs > 0) throw processErrors.waiting(program, waitMs)
      if (this.#running.size < this.#options.processes) await this.#start()
      else await this.#turn(signal)
    }
  }

  async #start(): Promise<void> {
    const { run, report } = this.#options
    const startedAt = Date.now()
    const worker = new Worker({ ...run, onLine: (line) => report('info', `${run.program}: ${line}`) })
    this.#running.add(worker)
    worker.ended.then((how) => {
      this.#running.delete(worker)
      this.#next()
      if (this.#isClosed || !worker.hasFailed) return
      report('warning', `${run.program} ${how}`)
      this.#restarts.ended(startedAt)
    })
    try {
      await worker.description
    } catch (error) {
      this.#restarts.failed()
      report('warning', messageOf(error))
      throw error
    } finally {
      this.#next()
    }
  }

  #turn(signal: AbortSignal): Promise<void> {
    return new Promise((resolve) => {
      const go = () => {
        signal.removeEventListener('abort', go)
        resolve()
      }
      signal.addEventListener('abort', go, { once: true })
      this.#queue.push(go)
    })
  }

  /** Wakes waiting calls. */
  #next(): void {
    for (const go of this.#queue.splice(0)) go()
  }
}
