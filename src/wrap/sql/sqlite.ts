import { type ChildProcess, spawn } from 'node:child_process'
import { existsSync, renameSync, rmSync } from 'node:fs'
import { createRequire } from 'node:module'
import { basename } from 'node:path'
import { pathToFileURL } from 'node:url'
import { messageOf } from '../../errors.js'
import { packageMissing } from '../../optional-packages.js'
import { packagedPath } from '../source/packaged.js'
import { sqliteSchema } from './column-types.js'
import {
  type Described,
  type DriverOptions,
  exactInteger,
  RowGatherer,
  type SqlDriver,
  SqlFailure,
  type SqlRequest,
  type SqlResult,
} from './driver.js'
import { sqlErrors } from './errors.js'
import { notAllowed } from './foreign.js'
import { type ChildReply, type ChildRequest, childProgram } from './sqlite-child.js'
import { sqliteGuard } from './sqlite-guard.js'
import { uniqueColumns } from './unique-columns.js'

/** Memory of SQLite, in addition to four rows of the maximum size. */
const heapBytes = 32_000_000

/** SQLite driver. Each connection runs in a separate process, which is ended to stop a statement. */
export class SqliteDriver implements SqlDriver {
  readonly dialect = 'sqlite'
  readonly label: string
  readonly #file: string
  readonly #options: DriverOptions
  readonly #idle = { read: [] as Child[], write: [] as Child[] }
  readonly #waiting: { access: 'read' | 'write'; take: (child: Child) => void }[] = []
  readonly #busy = { read: new Set<Child>(), write: new Set<Child>() }

  #made: Promise<void> | undefined

  constructor(file: string, options: DriverOptions) {
    this.#file = file
    this.#options = options
    this.label = basename(file)
  }

  async ping(): Promise<void> {
    await this.#make()
    if (!existsSync(this.#file)) throw sqlErrors.sqlUnreachable(this.label, `there is no file ${this.#file}`)
    const child = await this.#take('read').catch(async (error) => {
      if (await this.#recovered(error)) return this.#take('read')
      throw sqlErrors.sqlUnreachable(this.label, messageOf(error))
    })
    this.#give('read', child)
  }

  async run(request: SqlRequest): Promise<SqlResult> {
    try {
      return await this.#run(request)
    } catch (error) {
      if (request.access === 'write' || !(await this.#recovered(error))) throw error
      return this.#run(request)
    }
  }

  async #run(request: SqlRequest): Promise<SqlResult> {
    const { text, values, access, maxRows, maxBytes, skip = 0 } = request
    const child = await this.#take(access)
    try {
      const guard = request.isForeign ? { guard: sqliteGuard } : {}
      const asked = {
        op: 'run',
        text,
        values: values.map(bound),
        access,
        maxRows,
        maxBytes,
        skip,
        ...guard,
      } as const
      return resultOf(await child.ask(asked, request), request)
    } finally {
      this.#give(access, child)
    }
  }

  async describe(text: string): Promise<Described> {
    const child = await this.#take('read')
    try {
      const { columns = [] } = await child.ask(
        { op: 'describe', text },
        { timeoutMs: this.#options.limits.connectMs },
      )
      return {
        parameters: [],
        columns: columns.map(({ name, table, column, type }) => ({
          name,
          schema: sqliteSchema(type),
          ...(table === null || column === null ? {} : { table, column }),
        })),
      }
    } finally {
      this.#give('read', child)
    }
  }

  async close(): Promise<void> {
    const children = [this.#idle, this.#busy].flatMap(({ read, write }) => [...read, ...write])
    for (const child of children) child.end()
  }

  /**
   * True if reading failed because of a hot journal: an uncommitted transaction of a process that ended, which only a writer can roll back.
   */
  async #recovered(error: unknown): Promise<boolean> {
    const isLeftOver = ['-journal', '-wal'].some((ending) => existsSync(this.#file + ending))
    if (!(error instanceof SqlFailure) || error.kind !== 'readonly' || !isLeftOver) return false
    const child = await this.#take('write').catch(() => undefined)
    if (child) this.#give('write', child)
    return child !== undefined
  }

  /** Fills a new file if there is none, completely or not at all. */
  #make(): Promise<void> {
    const { create } = this.#options
    if (create === undefined || existsSync(this.#file)) return Promise.resolve()
    this.#made ??= (async () => {
      const child = new Child()
      const draft = `${this.#file}.${process.pid}.new`
      try {
        const script = typeof create === 'function' ? create() : create
        await child.ask({ op: 'make', library: libraryPath(), file: draft, script }, { timeoutMs: 60_000 })
        renameSync(draft, this.#file)
      } catch (error) {
        rmSync(draft, { force: true })
        throw sqlErrors.sqlUnreachable(this.label, messageOf(error))
      } finally {
        child.end()
        this.#made = undefined
      }
    })()
    return this.#made
  }

  /**
   * An idle connection, a new one, or the next one that is returned; there is one writer at a time, as SQLite allows
   * only one.
   */
  async #take(access: 'read' | 'write'): Promise<Child> {
    const idle = this.#idle[access].pop()
    if (idle) {
      this.#busy[access].add(idle)
      return idle
    }
    const most = access === 'write' ? 1 : this.#options.limits.maxConnections
    if (this.#busy[access].size >= most) return new Promise((take) => this.#waiting.push({ access, take }))
    if (!existsSync(this.#file)) throw new SqlFailure('lost', `there is no file ${this.#file}`)
    const child = new Child()
    this.#busy[access].add(child)
    try {
      const { timeoutMs, connectMs, maxRowBytes } = this.#options.limits
      const maxHeapBytes = heapBytes + 4 * maxRowBytes
      const file = `${pathToFileURL(this.#file).href}?mode=${access === 'read' ? 'ro' : 'rw'}`
      const busyMs = Math.min(5000, Math.ceil(timeoutMs / 2))
      const opening = { op: 'open', library: libraryPath(), file, busyMs, maxHeapBytes } as const
      await child.ask(opening, { timeoutMs: connectMs + busyMs })
      return child
    } catch (error) {
      child.end()
      this.#give(access, child)
      throw error
    }
  }

  #give(access: 'read' | 'write', child: Child): void {
    const at = this.#waiting.findIndex((waiting) => waiting.access === access)
    const [next] = at < 0 ? [] : this.#waiting.splice(at, 1)
    if (child.isAlive && next) return next.take(child)
    this.#busy[access].delete(child)
    if (child.isAlive) this.#idle[access].push(child)
    // The next statement gets a new connection instead of one that has ended.
    else if (next) void this.#take(access).then(next.take, () => next.take(child))
  }
}

/** One connection: a process that answers one request at a time. */
class Child {
  readonly #process: ChildProcess
  #onReply: ((reply: ChildReply) => void) | undefined
  #failed: ((error: SqlFailure) => void) | undefined
  isAlive = true

  constructor() {
    const text = `(${childProgram})()`
    this.#process = spawn(process.execPath, ['--input-type=commonjs', '--eval', text], {
      stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
      serialization: 'advanced',
      env: {},
      windowsHide: true,
    })
    this.#process.on('message', (reply: ChildReply) => this.#onReply?.(reply))
    const gone = (reason: string) => {
      this.isAlive = false
      this.#failed?.(new SqlFailure('lost', `the connection to the file was lost (${reason})`))
    }
    this.#process.on('exit', (code, signal) => gone(`its process ended with ${signal ?? code}`))
    this.#process.on('error', (error) => gone(error.message))
    this.#rest(true)
  }

  async ask(
    request: ChildRequest,
    { timeoutMs, signal }: { timeoutMs: number; signal?: AbortSignal | undefined },
  ): Promise<ChildReply> {
    if (!this.isAlive) throw new SqlFailure('lost', 'the connection to the file was lost')
    if (signal?.aborted) throw new SqlFailure('cancelled', 'the call was cancelled')
    this.#rest(false)
    let timer: NodeJS.Timeout | undefined
    const onAbort = () => this.#stop(new SqlFailure('cancelled', 'the call was cancelled'))
    try {
      const reply = await new Promise<ChildReply>((resolve, reject) => {
        this.#onReply = resolve
        this.#failed = reject
        timer = setTimeout(() => this.#stop(new SqlFailure('timeout', `stopped after ${timeoutMs} ms`)), timeoutMs)
        signal?.addEventListener('abort', onAbort, { once: true })
        this.#process.send(request, (error) => error && reject(new SqlFailure('lost', error.message)))
      })
      if (reply.failure) throw failureOf(reply.failure)
      return reply
    } finally {
      clearTimeout(timer)
      signal?.removeEventListener('abort', onAbort)
      this.#onReply = undefined
      this.#failed = undefined
      this.#rest(true)
    }
  }

  end(): void {
    this.isAlive = false
    this.#process.kill('SIGKILL')
  }

  #stop(failure: SqlFailure): void {
    const failed = this.#failed
    this.end()
    failed?.(failure)
  }

  /** An idle child process does not keep this process alive. */
  #rest(isIdle: boolean): void {
    const channel = this.#process.channel as { ref(): void; unref(): void } | null | undefined
    if (isIdle) {
      this.#process.unref()
      channel?.unref()
    } else {
      this.#process.ref()
      channel?.ref()
    }
  }
}

function libraryPath(): string {
  try {
    return packagedPath('libsql') ?? createRequire(import.meta.url).resolve('libsql')
  } catch (error) {
    throw packageMissing(['libsql'], 'reading SQLite files', error)
  }
}

function failureOf({ message, code }: { message: string; code: string }): Error {
  if (code === 'JEXO_NOT_ALLOWED') return notAllowed(message)
  if (/out of memory/i.test(message))
    return new SqlFailure('statement', 'it needs more memory than a statement may use; select less')
  if (/BUSY|LOCKED/.test(code)) return new SqlFailure('locked', 'another program has locked the file')
  if (/READONLY/.test(code)) return new SqlFailure('readonly', message)
  if (/NOTADB|CORRUPT/.test(code)) return new SqlFailure('lost', `the file is not a SQLite database (${message})`)
  return new SqlFailure(/Unable to open/.test(message) ? 'lost' : 'statement', message)
}

const bound = (value: unknown) => (typeof value === 'boolean' ? Number(value) : value)

function resultOf(reply: ChildReply, request: SqlRequest): SqlResult {
  const gatherer = new RowGatherer({ ...request, skip: 0 })
  for (const row of reply.rows ?? []) if (!gatherer.take(row.map(plain))) break
  const cutBy = gatherer.cutBy ?? (reply.isCut ? 'bytes' : undefined)
  return {
    columns: uniqueColumns((reply.columns ?? []).map(({ name }) => name)),
    rows: gatherer.rows,
    bytes: gatherer.bytes,
    ...(cutBy === undefined ? {} : { cutBy }),
    ...(reply.changed === undefined ? {} : { changed: reply.changed }),
  }
}

function plain(value: unknown): unknown {
  if (typeof value === 'bigint') return exactInteger(value)
  if (value instanceof ArrayBuffer) return Buffer.from(value).toString('base64')
  if (ArrayBuffer.isView(value))
    return Buffer.from(value.buffer, value.byteOffset, value.byteLength).toString('base64')
  // SQLite has infinite numbers; JSON does not.
  return typeof value === 'number' && !Number.isFinite(value) ? String(value) : value
}
