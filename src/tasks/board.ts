import type { Identity } from '../kit/call.js'
import type { Incoming } from '../protocol/incoming.js'
import type { JsonObject } from '../protocol/messages.js'
import { codes, RpcError, rpcErrors } from '../protocol/rpc-error.js'
import type { Letters } from '../store/letters.js'
import type { Member } from '../store/store.js'
import { type AttemptOptions, RunningTask, type TaskPeer, type TaskWork } from './running-task.js'
import { isTerminal, type Task, unknownTask } from './task.js'
import { TaskMirror } from './task-mirror.js'

export interface BoardLimits {
  /** Maximum number of tasks that are kept, and of those that may run. */
  most: number
  mostWorking: number
  /** Maximum size of all kept results together, in characters of JSON. */
  mostCharacters: number
  /** The suggested polling interval, in milliseconds. */
  pollIntervalMs: number
  pageSize: number
}
const usualLimits: BoardLimits = {
  most: 10_000,
  mostWorking: 256,
  mostCharacters: 64_000_000,
  pollIntervalMs: 1000,
  pageSize: 100,
}

export interface NewTask {
  /** The request that the task executes. */
  incoming: Pick<Incoming, 'id' | 'method' | 'params'>
  ttlMs: number
  /** Owner of the task; undefined if callers are not authenticated. */
  owner: string | undefined
  /** The sender of the request. */
  identity?: Identity | undefined
  peer: TaskPeer
  work: TaskWork
}

export interface TaskPage {
  tasks: Task[]
  nextCursor?: string
}

/** The tasks of one receiver: a served kit, or a link (Tasks). Ids are not guessable. */
export class TaskBoard {
  readonly #limits: BoardLimits
  readonly #tasks = new Map<string, RunningTask>()
  readonly #timers = new Map<string, ReturnType<typeof setTimeout>>()
  readonly #broke: (method: string, error: unknown) => void
  #mirror: TaskMirror | undefined
  #sequence = 0

  constructor(broke: (method: string, error: unknown) => void, limits: Partial<BoardLimits> = {}) {
    this.#broke = broke
    this.#limits = { ...usualLimits, ...limits }
  }

  /** From now on, other processes see these tasks, and this one sees theirs. */
  share(member: Member, letters: Letters): TaskMirror {
    this.#mirror = new TaskMirror(member, letters, this.#limits)
    return this.#mirror
  }

  /** The tasks of other processes; undefined if there are none. */
  get mirror(): TaskMirror | undefined {
    return this.#mirror
  }

  /** The running tasks. */
  get working(): RunningTask[] {
    return [...this.#tasks.values()].filter(({ isOver }) => !isOver)
  }

  /** Creates a task, whose work begins after the response is sent. Throws an `RpcError` if there are too many. */
  create(asked: NewTask): Task | Promise<Task> {
    const { incoming, work } = asked
    const running = this.prepare(asked)
    const { taskId } = running.task
    const begin = () => {
      setTimeout(() => {
        if (running.request.isOver) return
        const broke = (error: unknown) => this.#broke(incoming.method, error)
        void running.carryOut(work, broke).then(() => this.#shed(taskId))
      }, 0)
      return running.task
    }
    if (!this.#mirror) return begin()
    return this.#mirror.create(running).then(begin, (error) => {
      this.drop(taskId)
      throw error
    })
  }

  /** Creates a task whose work is started elsewhere. `taskId` and `createdAt` belong to an existing task. */
  prepare(
    { incoming, ttlMs, owner, identity, peer }: Omit<NewTask, 'work'>,
    known?: { task: Task } & AttemptOptions,
  ): RunningTask {
    this.#makeRoom()
    const now = new Date().toISOString()
    const task: Task = known?.task ?? {
      taskId: crypto.randomUUID(),
      status: 'working',
      createdAt: now,
      lastUpdatedAt: now,
      ttl: ttlMs,
      pollInterval: this.#limits.pollIntervalMs,
    }
    const { id, method, params } = incoming
    const running = new RunningTask(task, { jsonrpc: '2.0', id, method, params }, owner, ++this.#sequence, peer, {
      ...known,
      identity,
    })
    this.#tasks.set(task.taskId, running)
    const timer = setTimeout(() => this.drop(task.taskId), ttlMs)
    ;(timer as { unref?: () => void }).unref?.()
    this.#timers.set(task.taskId, timer)
    return running
  }

  get(id: unknown, owner: string | undefined): Task | Promise<Task> {
    return this.#elsewhere(id)?.get(id, owner) ?? this.#find(id, owner).task
  }

  /** The tasks of one owner, oldest first, in pages. */
  list(owner: string | undefined, cursor: unknown): TaskPage | Promise<TaskPage> {
    if (cursor !== undefined && !(typeof cursor === 'string' && /^\d{1,15}$/.test(cursor)))
      throw rpcErrors.invalidParams('unknown cursor')
    const after = Number(cursor ?? 0)
    if (this.#mirror) return this.#mirror.list(owner, after)
    const mine = [...this.#tasks.values()].filter((task) => task.owner === owner && task.sequence > after)
    const page = mine.slice(0, this.#limits.pageSize)
    const last = page.at(-1)
    return {
      tasks: page.map(({ task }) => task),
      ...(last && mine.length > page.length ? { nextCursor: String(last.sequence) } : {}),
    }
  }

  /** Cancels a task. Throws an `RpcError` if it has ended already. */
  cancel(id: unknown, owner: string | undefined): Task | Promise<Task> {
    const elsewhere = this.#elsewhere(id)
    if (elsewhere) return elsewhere.cancel(id, owner)
    const running = this.#find(id, owner)
    const { status } = running.task
    if (isTerminal(status)) throw rpcErrors.invalidParams(`the task is ${status} already`)
    running.cancel()
    return running.task
  }

  /** Waits for the end of a task, and returns the response that its request would have got. */
  result(incoming: Incoming, owner: string | undefined): Promise<JsonObject> {
    const { taskId } = incoming.params
    return this.#elsewhere(taskId)?.result(incoming, owner) ?? this.#find(taskId, owner).resultFor(incoming)
  }

  /** Ends all tasks. */
  close(): void {
    for (const [id, running] of this.#tasks) {
      if (!running.isOver) running.cancel()
      clearTimeout(this.#timers.get(id))
    }
    this.#tasks.clear()
    this.#timers.clear()
  }

  /**
   * The mirror that knows a task of another process, or one that may continue elsewhere; undefined for other tasks, or
   * without other processes.
   */
  #elsewhere(id: unknown): TaskMirror | undefined {
    const running = typeof id === 'string' ? this.#tasks.get(id) : undefined
    return running && !this.#mirror?.isDurable(running) ? undefined : this.#mirror
  }

  /** A task of another caller is reported as unknown. */
  #find(id: unknown, owner: string | undefined): RunningTask {
    const running = typeof id === 'string' ? this.#tasks.get(id) : undefined
    if (!running || running.owner !== owner) throw unknownTask(id)
    return running
  }

  #makeRoom(): void {
    const { most, mostWorking } = this.#limits
    if (this.working.length >= mostWorking)
      throw new RpcError(codes.internal, `${mostWorking} tasks are working already; wait for one to end`)
    if (this.#tasks.size < most) return
    // Drops the ended task whose result has been available the longest.
    for (const [id, { isOver }] of this.#tasks) if (isOver) return this.drop(id)
  }

  /** After a new result, drops the oldest results if all together are too large. */
  #shed(newest: string): void {
    let size = 0
    for (const running of this.#tasks.values()) size += running.size
    for (const [id, { isOver, size: own }] of this.#tasks) {
      if (size <= this.#limits.mostCharacters) return
      if (!isOver || id === newest) continue
      size -= own
      this.drop(id)
    }
  }

  /** The task was dropped, so its work is ended. */
  drop(id: string): void {
    const running = this.#tasks.get(id)
    this.#tasks.delete(id)
    clearTimeout(this.#timers.get(id))
    this.#timers.delete(id)
    running?.expire()
  }
}
