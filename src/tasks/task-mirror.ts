import type { AskOptions, Incoming } from '../protocol/incoming.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { codes, RpcError, rpcErrors } from '../protocol/rpc-error.js'
import type { Letters } from '../store/letters.js'
import type { Member } from '../store/store.js'
import { endedAs, type KeptTask, keptText, outcomeOf, readKept } from './kept-task.js'
import type { RunningTask, TaskWaiter } from './running-task.js'
import { isTerminal, metaOfTask, type Task, unknownTask } from './task.js'

export interface MirrorLimits {
  most: number
  pageSize: number
  pollIntervalMs: number
}

/** Interval at which progress of a task is stored, in milliseconds; a new status is stored at once. */
const writeEveryMs = 300
/** Interval of the check for tasks whose process may have died. */
const lookEveryMs = 2000
/** How long a process must be missing before it is assumed to have died. */
const deadAfterMs = 4000

interface Written {
  readonly running: RunningTask
  readonly isDurable: boolean
  text: string
  /** Writes are executed in order. */
  writing: Promise<void>
  timer?: ReturnType<typeof setTimeout> | undefined
}

/** Tasks of all processes of a server: shows those of this process to the others, and answers for theirs. */
export class TaskMirror {
  readonly #member: Member
  readonly #letters: Letters
  readonly #limits: MirrorLimits
  readonly #written = new Map<string, Written>()
  readonly #missedSince = new Map<string, number>()
  /** Requests that wait here for results of tasks in other processes. */
  readonly #waiting = new Map<string, Incoming>()
  readonly #wakes = new Set<() => void>()

  constructor(member: Member, letters: Letters, limits: MirrorLimits) {
    this.#member = member
    this.#letters = letters
    this.#limits = limits
    letters.on('cancel task', ({ id }) => this.#cancelHere(String(id)))
    letters.on('wait for task', ({ id, waiter, sender }) =>
      this.#waitHere(String(id), String(waiter), String(sender)),
    )
    letters.on('ask for task', (letter) => this.#askHere(letter))
  }

  /** Stores a new task for others. Throws an `RpcError` if there are too many. */
  async create(running: RunningTask, isDurable = false): Promise<void> {
    const { task, owner } = running
    const text = keptText(this.#kept(running, isDurable))
    const ttlMs = task.ttl ?? 0
    if (!(await this.#member.tasks.create(task.taskId, text, owner ?? '', ttlMs, this.#limits.most)))
      throw tooMany(this.#limits.most)
    this.follow(running, text, isDurable)
  }

  /** Creates a task that any process may run. Rejects if it cannot be stored. */
  async handIn(ttlMs: number, owner: string | undefined, handIn: (taskId: string) => Promise<void>): Promise<Task> {
    const now = new Date().toISOString()
    const { pollIntervalMs, most } = this.#limits
    const times = { createdAt: now, lastUpdatedAt: now, ttl: ttlMs, pollInterval: pollIntervalMs }
    const task: Task = { taskId: crypto.randomUUID(), status: 'working', ...times }
    const text = keptText({ task, owner, member: this.#member.id, isDurable: true })
    if (!(await this.#member.tasks.create(task.taskId, text, owner ?? '', ttlMs, most))) throw tooMany(most)
    try {
      await handIn(task.taskId)
    } catch (error) {
      const failed = endedAs({ task, owner, member: '' }, 'failed', 'The task could not be submitted')
      await this.#member.tasks.exchange(task.taskId, text, keptText(failed)).catch(() => false)
      throw error
    }
    return task
  }

  /** This process starts to run it. Undefined if it has ended or does not exist. */
  async takeUp(id: string): Promise<{ task: Task; owner: string | undefined; text: string } | undefined> {
    for (;;) {
      const before = await this.#member.tasks.read(id)
      const kept = before === undefined ? undefined : readKept(before)
      if (before === undefined || !kept || isTerminal(kept.task.status)) return undefined
      const task: Task = { ...kept.task, status: 'working' }
      const text = keptText({ ...kept, task, member: this.#member.id })
      if (await this.#member.tasks.exchange(id, before, text)) return { task, owner: kept.owner, text }
    }
  }

  /** Stores the changes of a task that is in the store already. */
  follow(running: RunningTask, text: string, isDurable: boolean): void {
    const written: Written = { running, isDurable, text, writing: Promise.resolve() }
    this.#written.set(running.task.taskId, written)
    running.onChange = () => this.#changed(written)
  }

  isDurable({ task }: RunningTask): boolean {
    return this.#written.get(task.taskId)?.isDurable === true
  }

  /** Stops storing the changes of a task that another process continues. */
  forget(running: RunningTask): void {
    running.onChange = undefined
    this.#written.delete(running.task.taskId)
  }

  /** Throws an `RpcError` if the task does not exist or belongs to another caller. */
  async get(id: unknown, owner: string | undefined): Promise<Task> {
    return (await this.#read(id, owner)).kept.task
  }

  async list(owner: string | undefined, after: number): Promise<{ tasks: Task[]; nextCursor?: string }> {
    const { tasks, next } = await this.#member.tasks.list(owner ?? '', after, this.#limits.pageSize)
    const found = await Promise.all(tasks.map(({ id }) => this.get(id, owner).catch(() => undefined)))
    return {
      tasks: found.filter((task) => task !== undefined),
      ...(next === undefined ? {} : { nextCursor: String(next) }),
    }
  }

  async cancel(id: unknown, owner: string | undefined): Promise<Task> {
    const { text, kept } = await this.#read(id, owner)
    const { status, taskId } = kept.task
    if (isTerminal(status)) throw rpcErrors.invalidParams(`the task is ${status} already`)
    const reply = await this.#letters.ask(kept.member, 'cancel task', { id: taskId })
    if (isObject(reply?.task)) return reply.task as unknown as Task
    // No process runs it.
    const ended = endedAs(kept, 'cancelled', 'The task was cancelled')
    if (await this.#member.tasks.exchange(taskId, text, keptText(ended))) {
      await this.#member.jobs?.remove(taskId)
      await this.#over(taskId)
      return ended.task
    }
    return this.cancel(id, owner)
  }

  /** Waits for the end of a task in another process, and returns the response that its request would have got. */
  async result(incoming: Incoming, owner: string | undefined): Promise<JsonObject> {
    const waiter = crypto.randomUUID()
    this.#waiting.set(waiter, incoming)
    try {
      let waitsAt: string | undefined
      for (;;) {
        const { kept } = await this.#read(incoming.params.taskId, owner)
        const result = outcomeOf(kept)
        const { taskId } = kept.task
        if (result) return { ...result, _meta: metaOfTask(result._meta, taskId) }
        if (waitsAt !== kept.member) {
          const letter = { id: taskId, waiter, sender: this.#member.id }
          const reply = await this.#letters.ask(kept.member, 'wait for task', letter)
          waitsAt = reply ? kept.member : undefined
        }
        await this.#pause(incoming.signal)
      }
    } finally {
      this.#waiting.delete(waiter)
    }
  }

  /** True if the message was about tasks. */
  hear({ kind }: JsonObject): boolean {
    if (kind !== 'task over') return false
    for (const wake of this.#wakes) wake()
    return true
  }

  /** Stops storing changes; other processes continue unfinished tasks. */
  end(): void {
    for (const { running } of this.#written.values()) this.forget(running)
  }

  /** Resolves when all pending writes have succeeded or failed. */
  async settled(): Promise<void> {
    await Promise.all([...this.#written.values()].map((written) => this.#write(written)))
  }

  async #over(id: string): Promise<void> {
    for (const wake of this.#wakes) wake()
    await this.#member.tellOthers({ kind: 'task over', task: id }).catch(() => {})
  }

  #kept({ task, owner, outcome }: RunningTask, isDurable: boolean): KeptTask {
    return { task, owner, member: this.#member.id, ...(isDurable ? { isDurable } : {}), ...outcome }
  }

  #changed(written: Written): void {
    if (written.running.isOver || written.running.task.status === 'input_required') {
      clearTimeout(written.timer)
      void this.#write(written)
    } else if (written.timer === undefined) {
      written.timer = setTimeout(() => void this.#write(written), writeEveryMs)
    }
  }

  #write(written: Written): Promise<void> {
    clearTimeout(written.timer)
    written.timer = undefined
    written.writing = written.writing.then(() => this.#writeNow(written))
    return written.writing
  }

  /** Retries until it is written. If another process has ended the task in the meantime, its work here ends too. */
  async #writeNow(written: Written): Promise<void> {
    const { running, isDurable } = written
    const { taskId } = running.task
    for (let tries = 0; this.#written.get(taskId) === written; tries++) {
      const text = keptText(this.#kept(running, isDurable))
      if (text === written.text) break
      try {
        if (await this.#member.tasks.exchange(taskId, written.text, text)) written.text = text
        else {
          const now = await this.#member.tasks.read(taskId)
          if (now === text) break
          this.forget(running)
          running.expire()
        }
        break
      } catch {
        if (tries > 60) break
        await new Promise((resolve) => setTimeout(resolve, 1000))
      }
    }
    if (!running.isOver) return
    if (this.#written.get(taskId) === written) this.#written.delete(taskId)
    await this.#over(taskId)
  }

  /** The stored form of a task. A task whose process has died has failed, unless another process continues it. */
  async #read(id: unknown, owner: string | undefined): Promise<{ text: string; kept: KeptTask }> {
    const text = typeof id === 'string' && id.length <= 100 ? await this.#member.tasks.read(id) : undefined
    const kept = text === undefined ? undefined : readKept(text)
    if (text === undefined || !kept || kept.owner !== owner) throw unknownTask(id)
    if (isTerminal(kept.task.status) || kept.isDurable || !(await this.#isDead(kept.member))) return { text, kept }
    const ended = endedAs(kept, 'failed', 'The process that worked on the task has ended')
    const after = keptText(ended)
    if (!(await this.#member.tasks.exchange(kept.task.taskId, text, after))) return this.#read(id, owner)
    await this.#over(kept.task.taskId)
    return { text: after, kept: ended }
  }

  async #isDead(member: string): Promise<boolean> {
    if (await this.#member.isAlive(member)) {
      this.#missedSince.delete(member)
      return false
    }
    const since = this.#missedSince.get(member) ?? Date.now()
    this.#missedSince.set(member, since)
    if (this.#missedSince.size > 1000) this.#missedSince.clear()
    return Date.now() - since >= deadAfterMs
  }

  #pause(signal: AbortSignal): Promise<void> {
    return new Promise((resolve, reject) => {
      const end = (settle: () => void) => () => {
        clearTimeout(timer)
        this.#wakes.delete(wake)
        signal.removeEventListener('abort', abort)
        settle()
      }
      const wake = end(resolve)
      const abort = end(() => reject(signal.reason))
      const timer = setTimeout(wake, lookEveryMs)
      this.#wakes.add(wake)
      signal.addEventListener('abort', abort)
      if (signal.aborted) abort()
    })
  }

  async #cancelHere(id: string): Promise<JsonObject> {
    const written = this.#written.get(id)
    if (!written) return {}
    if (!written.running.isOver) written.running.cancel()
    await this.#write(written)
    return { task: { ...written.running.task } }
  }

  /** A request in another process waits for a task of this process. */
  #waitHere(id: string, waiter: string, sender: string): JsonObject | undefined {
    const running = this.#written.get(id)?.running
    if (!running) return undefined
    const stop = running.waitFrom(new DistantWaiter(this.#letters, sender, waiter, () => stop()))
    return {}
  }

  /** Passes on a question of a task in another process to the request that waits here. */
  async #askHere({ waiter, method, params, timeoutMs, isNotification }: JsonObject): Promise<JsonObject> {
    const incoming = this.#waiting.get(String(waiter))
    if (!incoming || incoming.isOver) return { isGone: true }
    if (isNotification) incoming.notify(String(method), params as JsonObject)
    const options = typeof timeoutMs === 'number' ? { timeoutMs } : {}
    return isNotification ? {} : { result: await incoming.ask(String(method), params as JsonObject, options) }
  }
}

const tooMany = (most: number) =>
  new RpcError(codes.internal, `there are ${most} tasks already; wait for some to expire`)

/** A request that waits for the task in another process. */
class DistantWaiter implements TaskWaiter {
  readonly #letters: Letters
  readonly #member: string
  readonly #waiter: string
  readonly #left: () => void
  isOver = false

  constructor(letters: Letters, member: string, waiter: string, left: () => void) {
    this.#letters = letters
    this.#member = member
    this.#waiter = waiter
    this.#left = left
  }

  notify(method: string, params: JsonObject): void {
    void this.#send({ method, params, isNotification: true }).catch(() => {})
  }

  async ask(method: string, params: JsonObject, { signal, timeoutMs }: AskOptions = {}): Promise<JsonObject> {
    const reply = await this.#send({ method, params, ...(timeoutMs === undefined ? {} : { timeoutMs }) }, signal)
    if (isObject(reply?.result)) return reply.result
    throw new RpcError(codes.internal, 'Whoever waited for the task has left')
  }

  async #send(letter: JsonObject, signal?: AbortSignal): Promise<JsonObject | undefined> {
    const reply = await this.#letters.ask(this.#member, 'ask for task', { waiter: this.#waiter, ...letter }, signal)
    if (!reply || reply.isGone) {
      this.isOver = true
      this.#left()
    }
    return reply
  }
}
