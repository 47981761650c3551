import type { Redis } from 'ioredis'
import { messageOf } from '../../errors.js'
import type { TakeCount } from '../../kit/layer.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import { isUnavailable, storeErrors } from '../errors.js'
import { newMemberId } from '../member-id.js'
import type {
  JobStore,
  Member,
  MemberHandlers,
  SessionStore,
  StreamEvent,
  StreamStore,
  TaskStore,
} from '../store.js'
import { loadClient } from './packages.js'
import { reasonOf } from './reasons.js'
import { RedisJobs } from './redis-jobs.js'
import { type ScriptName, scripts } from './scripts.js'

export interface RedisMemberOptions {
  url: string
  label: string
  prefix: string
  timeoutMs: number
}

/** Interval of a process's heartbeat, and the time after which others assume that it has died, in milliseconds. */
const heartbeatMs = 3000
const aliveMs = 10_000
const mostRetryMs = 2000

type Client = Redis & Record<ScriptName, (...args: (string | number)[]) => Promise<unknown>>

/** One process that uses a store in Redis, with one connection for commands and one for messages. */
export class RedisMember implements Member {
  readonly id = newMemberId()
  trouble: string | undefined = 'the connection is not open yet'
  readonly #options: RedisMemberOptions
  readonly #handlers: MemberHandlers
  readonly #connecting: Promise<void>
  #client: Client | undefined
  #subscriber: Redis | undefined
  #heartbeat: NodeJS.Timeout | undefined
  #hasLeft = false

  constructor(options: RedisMemberOptions, handlers: MemberHandlers) {
    this.#options = options
    this.#handlers = handlers
    const { url, label, prefix } = options
    this.jobs = new RedisJobs({
      ...{ url, label, prefix },
      report: (error) => handlers.warn(messageOf(error)),
      read: async (key) => textOf(await this.#run((client) => client.get(prefix + key))),
      write: async (key, text, ttlMs) =>
        void (await this.#run((client) => client.set(prefix + key, text, 'PX', ttlMs))),
    })
    this.#connecting = this.#connect().catch((error) => this.#lose(messageOf(error)))
  }

  async tell(member: string, mail: JsonObject): Promise<boolean> {
    const count = await this.#run((client) => client.publish(this.#channel(member), JSON.stringify(mail)))
    return (count as number) > 0
  }

  async tellOthers(mail: JsonObject): Promise<void> {
    await this.#run((client) => client.publish(this.#channel('all'), JSON.stringify({ ...mail, from: this.id })))
  }

  async isAlive(member: string): Promise<boolean> {
    return (await this.#run((client) => client.exists(`${this.#options.prefix}m:${member}`))) === 1
  }

  async leave(): Promise<void> {
    if (this.#hasLeft) return
    this.#hasLeft = true
    clearInterval(this.#heartbeat)
    await this.jobs.close()
    await this.#connecting
    if (this.trouble === undefined)
      await this.#client?.del(`${this.#options.prefix}m:${this.id}`).catch(() => undefined)
    this.#client?.disconnect()
    this.#subscriber?.disconnect()
  }

  readonly sessions: SessionStore = {
    open: async (id, state, ttlMs, { most, spareMs }) => {
      const [isOpen, ended] = (await this.#script('openSession', id, state, ttlMs, most, spareMs)) as [
        number,
        string,
      ]
      return { isOpen: isOpen === 1, ...(ended ? { ended } : {}) }
    },
    read: async (id, ttlMs) => textOf(await this.#script('readSession', id, ttlMs)),
    exchange: async (id, before, after, ttlMs) =>
      textOf(await this.#script('exchangeSession', id, before, after, ttlMs)),
    extend: async (ids, ttlMs) => {
      for (let at = 0; at < ids.length; at += 500)
        await this.#script('touchSessions', ttlMs, ...ids.slice(at, at + 500))
    },
    end: async (id) => (await this.#script('endSession', id)) === 1,
    all: async () => (await this.#script('allSessions')) as string[],
    count: async () => (await this.#script('countSessions')) as number,
    subscribe: async (id, uri, member, ttlMs) => (await this.#script('subscribe', id, uri, ttlMs, member)) === 1,
    unsubscribe: async (id, uri) => void (await this.#script('unsubscribe', id, uri)),
    subscribers: async (uri, member) => (await this.#script('subscribers', uri, member ?? '')) as string[],
    subscriptions: async (id) =>
      (await this.#run((client) => client.smembers(`${this.#options.prefix}u:${id}`))) as string[],
  }

  readonly streams: StreamStore = {
    stand: async (session, stream, isPrimed, { mostReaders }) =>
      eventsIn(await this.#script('stand', session, stream, this.id, isPrimed ? 1 : 0, mostReaders)),
    append: async (session, stream, { sequence, data, isLast }) =>
      textOf(await this.#script('append', session, stream, this.id, sequence, data, isLast ? 1 : 0)),
    deliver: async (session, data, number, { mostWaiting }) =>
      (await this.#script('deliver', session, data, mostWaiting, this.id, number)) === 1,
    resume: async (session, stream, after, { mostReaders }) =>
      eventsIn(await this.#script('resume', session, stream, after, this.id, mostReaders)),
    after: async (session, stream, after) =>
      eventsIn(await this.#script('eventsAfter', session, stream, after)) ?? [],
    leave: async (session, stream) => void (await this.#script('leaveStream', session, stream, this.id)),
  }

  readonly tasks: TaskStore = {
    create: async (id, record, owner, ttlMs, most) =>
      (await this.#script('createTask', id, record, owner, ttlMs, most)) === 1,
    read: async (id) => textOf(await this.#run((client) => client.get(`${this.#options.prefix}t:${id}`))),
    exchange: async (id, before, after) => (await this.#script('exchangeTask', id, before, after)) === 1,
    list: async (owner, after, most) => {
      const found = (await this.#script('listTasks', owner, after, most)) as string[]
      const all = Array.from({ length: found.length / 3 }, (_, at) => ({
        sequence: Number(found[at * 3]),
        id: found[at * 3 + 1] ?? '',
        record: found[at * 3 + 2] ?? '',
      }))
      const page = all.slice(0, most)
      const last = page.at(-1)
      const tasks = page.map(({ id, record }) => ({ id, record }))
      return { tasks, ...(last && all.length > most ? { next: last.sequence } : {}) }
    },
  }

  readonly jobs: JobStore

  readonly take: TakeCount = async (name, most, perMs) => {
    const [count, resetsInMs] = (await this.#script('take', name, perMs)) as [number, number]
    return { isAllowed: count <= most, resetsInMs }
  }

  #channel = (member: string) => `${this.#options.prefix}c:${member}`

  #script(name: ScriptName, ...args: (string | number)[]): Promise<unknown> {
    return this.#run((client) => client[name](this.#options.prefix, ...args))
  }

  /** Converts failures to errors of the store, without details for callers. */
  async #run(command: (client: Client) => Promise<unknown>): Promise<unknown> {
    const { label } = this.#options
    if (this.trouble !== undefined || !this.#client)
      throw storeErrors.unavailable(label, this.trouble ?? 'it is closed')
    try {
      return await command(this.#client)
    } catch (error) {
      throw isUnavailable(error) ? error : storeErrors.unavailable(label, reasonOf(error))
    }
  }

  async #connect(): Promise<void> {
    const { Redis } = await loadClient()
    if (this.#hasLeft) return
    const options = {
      enableOfflineQueue: false,
      autoResubscribe: false,
      maxRetriesPerRequest: 0,
      connectTimeout: 5000,
      retryStrategy: (times: number) => Math.min(50 * 2 ** Math.min(times, 10), mostRetryMs),
    }
    const { url, timeoutMs } = this.#options
    // Commands of the same turn of the event loop are sent together.
    const forCommands = { ...options, commandTimeout: timeoutMs, enableAutoPipelining: true, scripts }
    this.#client = new Redis(url, forCommands) as Client
    this.#subscriber = new Redis(url, options)
    for (const one of [this.#client, this.#subscriber]) {
      let reason = 'the connection was closed'
      one.on('error', (error) => {
        reason = reasonOf(error)
        this.#lose(reason)
      })
      one.on('close', () => this.#lose(reason))
      one.on('ready', () => {
        reason = 'the connection was closed'
        void this.#begin()
      })
    }
    this.#subscriber.on('message', (_channel, text) => this.#hear(text))
  }

  /** Joins (again) after both connections are open. */
  async #begin(): Promise<void> {
    if (this.#client?.status !== 'ready' || this.#subscriber?.status !== 'ready' || this.#hasLeft) return
    try {
      const version = /redis_version:(\d+)\.(\d+)/.exec(await this.#client.info('server'))
      if (version && (Number(version[1]) < 6 || (version[1] === '6' && Number(version[2]) < 2)))
        return this.#lose(`it is version ${version[1]}.${version[2]}; 6.2 or later is required`)
      await this.#subscriber.subscribe(this.#channel(this.id), this.#channel('all'))
      await this.#beat()
    } catch (error) {
      return this.#lose(reasonOf(error))
    }
    clearInterval(this.#heartbeat)
    this.#heartbeat = setInterval(() => void this.#watch(), heartbeatMs)
    this.#heartbeat.unref()
    this.trouble = undefined
    this.#handlers.connected()
  }

  /** Sends a heartbeat. True if the previous one had not expired. */
  async #beat(): Promise<boolean> {
    const key = `${this.#options.prefix}m:${this.id}`
    return (await this.#client?.set(key, '1', 'PX', aliveMs, 'GET')) !== null
  }

  async #watch(): Promise<void> {
    if (this.#client?.status !== 'ready' || this.#subscriber?.status !== 'ready') return
    try {
      const wasKnown = await this.#beat()
      const wasLost = this.trouble !== undefined
      this.trouble = undefined
      // Others may have assumed that this process had died, so it fetches what they did not send.
      if (!wasKnown || wasLost) this.#handlers.connected()
    } catch (error) {
      this.#lose(reasonOf(error))
    }
  }

  #lose(reason: string): void {
    const isNews = this.trouble === undefined || this.trouble === 'the connection is not open yet'
    this.trouble = reason
    if (isNews && !this.#hasLeft) this.#handlers.lost(reason)
  }

  #hear(text: string): void {
    let mail: unknown
    try {
      mail = JSON.parse(text)
    } catch {
      return
    }
    if (isObject(mail) && mail.from !== this.id) this.#handlers.hear(mail)
  }
}

const textOf = (reply: unknown): string | undefined => (typeof reply === 'string' ? reply : undefined)

/** Parses a list of number, data and end mark of each event. */
function eventsIn(reply: unknown): StreamEvent[] | undefined {
  if (!Array.isArray(reply)) return undefined
  return Array.from({ length: reply.length / 3 }, (_, at) => ({
    sequence: Number(reply[at * 3]),
    data: String(reply[at * 3 + 1]),
    ...(reply[at * 3 + 2] === '1' ? { isLast: true } : {}),
  }))
}
