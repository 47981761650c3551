import { takeUp } from '../../engine/durable-tasks.js'
import type { RunningKit } from '../../engine/running-kit.js'
import type { PartList, Reach } from '../../engine/running-options.js'
import type { JsonObject, Message } from '../../protocol/messages.js'
import { Letters } from '../../store/letters.js'
import type { Member, Store, StreamLimits } from '../../store/store.js'
import type { TaskMirror } from '../../tasks/task-mirror.js'
import { Outbox } from './outbox.js'

export interface SharedProcessOptions {
  store: Store
  streamLimits: StreamLimits
  /** Receives messages for sessions. */
  hear(mail: JsonObject): void
  /** The store is available; missed messages are fetched. */
  connected(): void
}

/** Maximum number of durable tasks that one process runs at a time. */
const jobsAtOnce = 16

/** This process among those that share a store: its messages to the others, and to sessions in any process. */
export class SharedProcess implements Reach {
  readonly member: Member
  readonly outbox = new Outbox()
  readonly letters: { readonly id: string; readonly office: Letters }
  readonly #running: RunningKit
  readonly #options: SharedProcessOptions
  readonly #tasks: TaskMirror
  #number = 0
  #lost = 0
  #isLost = false

  constructor(running: RunningKit, options: SharedProcessOptions) {
    this.#running = running
    this.#options = options
    const { store } = options
    this.member = store.join(running.kit.name, {
      hear: (mail) => this.#hear(mail),
      connected: () => this.#connected(),
      warn: (text) => running.report('warning', text),
      lost: (reason) => {
        this.#isLost = true
        const text = `the store ${store.label} cannot be used: ${reason}; calls are refused until it can`
        running.report('warning', text)
      },
    })
    this.letters = { id: this.member.id, office: new Letters(this.member) }
    this.#tasks = running.share(this.member, this.letters.office, this)
    this.#work()
  }

  /** Limits of deliveries and streams. */
  nextNumber(): number {
    return ++this.#number
  }

  send(session: string, message: Message): void {
    this.deliver(session, JSON.stringify(message))
  }

  /** Puts a message on a standing stream of a session, or queues it. */
  deliver(session: string, data: string): void {
    const number = this.nextNumber()
    const { streams } = this.member
    const { streamLimits } = this.#options
    this.outbox.put(data.length, async () => void (await streams.deliver(session, data, number, streamLimits)))
  }

  resourceUpdated(uri: string, isEverywhere: boolean): void {
    const { id, sessions } = this.member
    const data = JSON.stringify({ jsonrpc: '2.0', method: 'notifications/resources/updated', params: { uri } })
    if (!isEverywhere) this.tellOthers({ kind: 'updated', uri })
    this.outbox.put(uri.length, async () => {
      for (const session of await sessions.subscribers(uri, isEverywhere ? id : undefined))
        this.deliver(session, data)
    })
  }

  listsChanged(lists: readonly PartList[]): void {
    this.#work()
    this.tellOthers({ kind: 'lists', lists: [...lists] })
    this.outbox.put(0, async () => {
      for (const session of await this.member.sessions.all())
        for (const list of lists)
          this.deliver(session, JSON.stringify({ jsonrpc: '2.0', method: `notifications/${list}/list_changed` }))
    })
  }

  repeat(name: string, everyMs: number): boolean {
    const { jobs } = this.member
    if (!jobs) return false
    jobs.repeat(name, everyMs, async () => {
      this.tellOthers({ kind: 'refresh', name })
      await this.#running.refresh(name)
    })
    return true
  }

  countSessions(): Promise<number> {
    return this.member.sessions.count()
  }

  tellOthers(mail: JsonObject): void {
    this.outbox.put(0, () => this.member.tellOthers(mail))
  }

  /** Returns what was lost since the last call. */
  sweep(): void {
    const { lost } = this.outbox
    if (lost > this.#lost)
      this.#running.report(
        'warning',
        `${lost - this.#lost} messages for hosts were lost while the store was unavailable`,
      )
    this.#lost = lost
  }

  /** Gives durable tasks back to other processes; other tasks fail. */
  async giveBack(): Promise<void> {
    this.#running.isClosing = true
    const durable = this.member.jobs?.close()
    for (const task of this.#running.tasks.working)
      this.#tasks.isDurable(task) ? task.request.end(stopping()) : task.fail('The server was stopped')
    await this.#tasks.settled()
    await durable
    this.#tasks.end()
  }

  async leave(): Promise<void> {
    await this.outbox.flush()
    await this.member.leave()
    this.#running.unshare()
  }

  /** Loads the job queue only if there are durable tools. */
  #work(): void {
    const running = this.#running
    const hasDurable = [...running.index.tools.values()].some(({ part }) => part.durable)
    if (hasDurable) this.member.jobs?.work((job) => takeUp(running, job), jobsAtOnce)
  }

  #connected(): void {
    if (this.#isLost) this.#running.report('info', `the store ${this.#options.store.label} can be used again`)
    this.#isLost = false
    void this.outbox.flush()
    this.#options.connected()
  }

  /** Messages may come from other versions, or other programs. */
  #hear(mail: JsonObject): void {
    if (this.letters.office.hear(mail) || this.#tasks.hear(mail)) return
    const { kind, uri, lists, name } = mail
    if (kind === 'updated' && typeof uri === 'string') this.#running.updatedElsewhere(uri)
    else if (kind === 'refresh' && typeof name === 'string') void this.#running.refresh(name)
    else if (kind === 'lists' && Array.isArray(lists)) this.#running.listsChangedElsewhere(lists.length > 1)
    else this.#options.hear(mail)
  }
}

const stopping = () => new DOMException('the server is stopping', 'AbortError')
