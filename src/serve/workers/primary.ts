import cluster, { type Worker as Child } from 'node:cluster'
import { memoryStore } from '../../store/memory/memory-store.js'
import type { HttpAddress } from '../address.js'
import type { Log } from '../log.js'
import { Channel } from './channel.js'
import { lendStore } from './piped-store.js'
import { numberVariable } from './worker.js'

export interface WorkersOptions {
  count: number
  log: Log
  /** Address of the metrics, if it is separate; metrics at the endpoint are requested by workers. */
  metrics?: HttpAddress | undefined
  /** Time limit for workers to end. */
  drainMs: number
  /** Command of the workers, if it is not the command line of this process. */
  program?: { file: string; args: readonly string[] }
}

/** Delay before a crashed process is restarted, in milliseconds; it grows until a process has run for a while. */
const firstDelayMs = 200
const mostDelayMs = 30_000
const steadyMs = 30_000

interface Running {
  readonly child: Child
  readonly channel: Channel
  readonly number: number
  readonly startedAt: number
  isEnding: boolean
  readonly ended: Promise<string>
}

/**
 * Runs several processes that serve the same address, and restarts those that crash. SIGHUP replaces them one by one;
 * SIGTERM and SIGINT end them. Returns the exit code.
 */
export async function runWorkers(options: WorkersOptions): Promise<number> {
  return new Workers(options).run()
}

class Workers {
  readonly #options: WorkersOptions
  readonly #log: Log
  readonly #store = memoryStore()
  readonly #running = new Map<number, Running>()
  #isStopping = false
  #isReloading = false
  #delayMs = firstDelayMs
  #stop: (reason: string) => void = () => {}
  #code = 0

  constructor(options: WorkersOptions) {
    this.#options = options
    this.#log = options.log
  }

  async run(): Promise<number> {
    const { count, program, metrics } = this.#options
    cluster.setupPrimary(program ? { exec: program.file, args: [...program.args] } : {})
    const stopped = new Promise<string>((resolve) => {
      this.#stop = resolve
    })
    for (const signal of ['SIGTERM', 'SIGINT'] as const) process.on(signal, () => this.#stop(signal))
    process.on('SIGHUP', () => void this.#reload())
    const first = await this.#start(1)
    // If the first process fails to start, all would; the error was printed.
    if (typeof first === 'string') return this.#code || 2
    const others = await Promise.all(Array.from({ length: count - 1 }, (_, at) => this.#start(at + 2)))
    for (const [at, other] of others.entries()) if (typeof other === 'string') void this.#startAgain(at + 2, other)
    this.#log.write('info', `${first.words}, ${count === 1 ? '1 process' : `${count} processes`}`, {
      url: first.url,
    })
    const closeMetrics = metrics ? await this.#serveMetrics(metrics) : undefined
    const reason = await stopped
    this.#isStopping = true
    this.#log.write('info', `${reason}: finishing running calls`)
    await Promise.all([...this.#running.values()].map((running) => this.#end(running, reason)))
    closeMetrics?.()
    return this.#code
  }

  /** Starts a process and waits until it responds. Returns an error text if it does not. */
  async #start(number: number): Promise<{ url: string; words: string } | string> {
    const child = cluster.fork({ [numberVariable]: String(number) })
    const channel = new Channel({
      send: (message) => void (child.isConnected() && child.send(message, () => {})),
      onMessage: (take) => void child.on('message', take),
      onClosed: (act) => void child.on('disconnect', act),
    })
    const takeBack = lendStore(this.#store, channel)
    channel.on('all metrics', () => this.#metrics())
    const ready = new Promise<{ url: string; words: string }>((resolve) =>
      channel.on('ready', (url, words) => resolve({ url: String(url), words: String(words) })),
    )
    const ended = new Promise<string>((resolve) =>
      child.once('exit', (code, signal) => {
        takeBack()
        resolve(signal ?? `code ${code}`)
        if (this.#running.get(number)?.child === child) this.#running.delete(number)
        if (!this.#running.size) this.#code = code ?? 1
      }),
    )
    const running: Running = { child, channel, number, startedAt: Date.now(), isEnding: false, ended }
    this.#running.set(number, running)
    const first = await Promise.race([ready, ended])
    if (typeof first === 'string') return first
    void ended.then((reason) => {
      if (!running.isEnding && !this.#isStopping) void this.#startAgain(number, reason, running)
    })
    return first
  }

  async #startAgain(number: number, reason: string, before?: Running): Promise<void> {
    if (before && Date.now() - before.startedAt > steadyMs) this.#delayMs = firstDelayMs
    const delayMs = this.#delayMs
    this.#delayMs = Math.min(2 * delayMs, mostDelayMs)
    this.#log.write('warning', `process ${number} has ended (${reason}); restarting it in ${delayMs} ms`, {
      number,
    })
    await new Promise((resolve) => setTimeout(resolve, delayMs))
    if (this.#isStopping || this.#running.has(number)) return
    const started = await this.#start(number)
    if (typeof started === 'string' && !this.#isStopping) void this.#startAgain(number, started)
    else this.#log.write('info', `process ${number} responds again`, { number })
  }

  /** Replaces the processes one after the other; if a new one does not start, the old one stays. */
  async #reload(): Promise<void> {
    if (this.#isReloading || this.#isStopping) return
    this.#isReloading = true
    let count = 0
    for (const old of [...this.#running.values()]) {
      old.isEnding = true
      const started = await this.#start(old.number)
      if (typeof started === 'string') {
        old.isEnding = false
        this.#running.set(old.number, old)
        this.#log.write('warning', `a new process failed to start (${started}); the old ones keep serving`)
        break
      }
      await this.#end(old, 'it is replaced')
      count++
    }
    if (count > 0) this.#log.write('info', `${count === 1 ? '1 process is' : `${count} processes are`} new`)
    this.#isReloading = false
  }

  async #end(running: Running, reason: string): Promise<void> {
    running.isEnding = true
    running.channel.tell('stop', reason)
    const kill = setTimeout(() => running.child.process.kill('SIGKILL'), this.#options.drainMs + 5000)
    await running.ended
    clearTimeout(kill)
  }

  async #metrics(): Promise<string> {
    const { AggregatorRegistry } = (await import('prom-client')).default
    const asked = [...this.#running.values()].map(({ channel }) => channel.call('metrics').catch(() => undefined))
    const found = (await Promise.all(asked)).filter((one) => Array.isArray(one))
    return AggregatorRegistry.aggregate(found as never).metrics()
  }

  async #serveMetrics(address: HttpAddress): Promise<() => void> {
    const { serveMetrics } = await import('../metrics.js')
    const contentType = 'text/plain; version=0.0.4; charset=utf-8'
    const { url, close } = await serveMetrics({ contentType, text: () => this.#metrics() }, address)
    this.#log.write('info', `metrics at ${url}`, { url })
    return close
  }
}
