import type { Queue, Worker } from 'bullmq'
import { isJexoError } from '../../errors.js'
import type { JsonObject } from '../../protocol/messages.js'
import { storeErrors } from '../errors.js'
import { isLeftToOthers, type Job, type JobOptions, type JobStore } from '../store.js'
import { loadQueue } from './packages.js'
import { reasonOf } from './reasons.js'

/** After this silence, a process's jobs are given to another, and the interval of that check, in milliseconds. */
const lockMs = 10_000
const lookMs = 4000
/** Delay before a returned job is started by another process. */
const handOverMs = 250

/** Time limit for jobs when their process ends, and for the store. */
const graceMs = 500
const closeMs = 3000

const queueName = 'durable'
const repeatedName = 'repeated'

interface Data {
  data: JsonObject
  ttlMs: number
  /** Number of attempts that ended because their process was stopped. */
  givenBack: number
}

export interface RedisJobsOptions {
  url: string
  label: string
  prefix: string
  report(error: unknown): void
  read(key: string): Promise<string | undefined>
  write(key: string, text: string, ttlMs: number): Promise<void>
}

/** Jobs in Redis, with BullMQ: if a process dies during a job, another one gets it. */
export class RedisJobs implements JobStore {
  readonly #options: RedisJobsOptions
  #queue: Promise<Queue> | undefined
  #worker: Promise<Worker> | undefined
  readonly #repeated = new Map<string, () => Promise<void>>()
  #repeater: Promise<{ queue: Queue; worker: Worker }> | undefined
  #isClosing = false
  #giveBack: (reason: Error) => void = () => {}
  readonly #givenBack = new Promise<never>((_, reject) => {
    this.#giveBack = reject
  })

  constructor(options: RedisJobsOptions) {
    this.#options = options
    this.#givenBack.catch(() => {})
  }

  async add(id: string, data: JsonObject, { attempts, backoffMs, isGrowing, ttlMs }: JobOptions): Promise<void> {
    const queue = await this.#opened()
    const wrapped: Data = { data, ttlMs, givenBack: 0 }
    const adding = queue.add(queueName, wrapped, {
      jobId: id,
      attempts,
      backoff: { type: isGrowing ? 'exponential' : 'fixed', delay: backoffMs },
      removeOnComplete: true,
      removeOnFail: true,
    })
    await adding.catch((error) => {
      throw storeErrors.unavailable(this.#options.label, reasonOf(error))
    })
  }

  work(carryOut: (job: Job) => Promise<void>, most: number): void {
    if (this.#worker || this.#isClosing) return
    this.#worker = this.#begin(carryOut, most)
    this.#worker.catch((error) => this.#options.report(error))
  }

  repeat(name: string, everyMs: number, act: () => Promise<void>): void {
    this.#repeated.set(name, act)
    this.#repeater ??= this.#beginRepeating()
    this.#repeater
      .then(({ queue }) => queue.upsertJobScheduler(name, { every: everyMs }, { name }))
      .catch((error) => this.#options.report(error))
  }

  async #beginRepeating(): Promise<{ queue: Queue; worker: Worker }> {
    const { Queue, Worker } = await loadQueue()
    const queue = new Queue(repeatedName, {
      connection: this.#connection(true),
      prefix: this.#prefix,
      skipVersionCheck: true,
      defaultJobOptions: { removeOnComplete: true, removeOnFail: true },
    })
    const worker = new Worker(repeatedName, async (job) => this.#repeated.get(job.name)?.(), {
      connection: this.#connection(true),
      prefix: this.#prefix,
      skipVersionCheck: true,
    })
    queue.on('error', () => {})
    worker.on('error', () => {})
    return { queue, worker }
  }

  async remove(id: string): Promise<void> {
    await (await this.#opened()).remove(id).catch(() => 0)
  }

  async close(): Promise<void> {
    if (this.#isClosing) return
    this.#isClosing = true
    // Jobs that do not end in time are returned without waiting for them.
    const timer = setTimeout(() => this.#giveBack(new Error('the process is stopping')), graceMs)
    const repeater = this.#repeater?.then(({ queue, worker }) => ({
      close: () => Promise.all([queue.close(), worker.close()]),
    }))
    const closing = [this.#worker, this.#queue, repeater].map(async (opened) => (await opened)?.close())
    await Promise.race([Promise.allSettled(closing), new Promise((go) => setTimeout(go, closeMs).unref())])
    clearTimeout(timer)
  }

  #connection(isWorker: boolean) {
    const { url } = this.#options
    return { url, maxRetriesPerRequest: isWorker ? null : 1, enableOfflineQueue: isWorker }
  }

  async #opened(): Promise<Queue> {
    this.#queue ??= this.#open()
    try {
      return await this.#queue
    } catch (error) {
      this.#queue = undefined
      throw isJexoError(error) ? error : storeErrors.unavailable(this.#options.label, reasonOf(error))
    }
  }

  async #open(): Promise<Queue> {
    const { Queue } = await loadQueue()
    const queue = new Queue(queueName, {
      connection: this.#connection(false),
      prefix: this.#prefix,
      skipVersionCheck: true,
    })
    // Commands report their own errors.
    queue.on('error', () => {})
    await queue.waitUntilReady()
    return queue
  }

  /** BullMQ adds a colon. */
  get #prefix(): string {
    return `${this.#options.prefix}jobs`
  }

  async #begin(carryOut: (job: Job) => Promise<void>, most: number): Promise<Worker> {
    const { Worker, DelayedError } = await loadQueue()
    const { read, write } = this.#options
    const worker = new Worker(
      queueName,
      async (job, token) => {
        const { data, ttlMs, givenBack } = job.data as Data
        const key = `saved:${job.id}`
        const attempt = job.attemptsStarted - givenBack
        const saved = await read(key)
        const given: Job = {
          id: String(job.id),
          data,
          attempt,
          saved,
          save: (json) => write(key, json, ttlMs),
        }
        try {
          await Promise.race([carryOut(given), this.#givenBack])
        } catch (error) {
          if (!this.#isClosing && !isLeftToOthers(error)) throw error
          // The process was stopped, or could not run the job: another one continues, and this does not count as an
          // attempt.
          await job.updateData({ ...job.data, givenBack: givenBack + 1 })
          await job.moveToDelayed(Date.now() + (this.#isClosing ? handOverMs : lookMs), token)
          throw new DelayedError()
        }
      },
      {
        connection: this.#connection(true),
        prefix: this.#prefix,
        skipVersionCheck: true,
        concurrency: most,
        lockDuration: lockMs,
        stalledInterval: lookMs,
        // The process that runs a job counts its attempts.
        maxStalledCount: 1_000_000,
      },
    )
    worker.on('error', () => {})
    return worker
  }
}
