import { type JexoError, messageOf } from '../../errors.js'
import type { Call } from '../../kit/call.js'
import { Refusal } from '../../kit/refusal.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import { LineSplitter } from '../../transport/line-splitter.js'
import { commandErrors } from '../command/errors.js'
import { type GroupOptions, killGroup, spawnInGroup } from '../command/process-group.js'
import { type ProcessDescription, readDescription } from './description.js'
import { processErrors } from './errors.js'

export interface ProcessRun extends GroupOptions {
  readonly program: string
  readonly args: readonly string[]
  /** Time limit for the description. */
  readonly startTimeoutMs: number
  /** Limits of each call. */
  readonly timeoutMs: number
  /** Maximum length of a line from the program. */
  readonly maxBytes: number
  /** Lines on stderr, and lines on stdout that are not replies. */
  readonly onLine: (line: string) => void
}

/** Reply of a program: an output, or content of the standard. */
export type Reply = { readonly output: unknown } | { readonly content: readonly unknown[] }
interface Waiting {
  readonly call: Call
  readonly resolve: (reply: Reply) => void
  readonly reject: (error: unknown) => void
}

/** Time limits for a program to end after its input was closed, and after SIGTERM. */
const graceMs = 1000
const maxLoggedLength = 500

/** A running program that handles calls as JSON lines. */
export class Worker {
  readonly #run: ProcessRun
  readonly #child: ReturnType<typeof spawnInGroup>
  readonly #waiting = new Map<number, Waiting>()
  /** Rejects if the program ends, or prints no description in time. */
  readonly description: Promise<ProcessDescription>
  /** Resolves when the program has ended. */
  readonly ended: Promise<string>
  #described: ProcessDescription | undefined
  #onFirstLine: ((line: string) => void) | undefined
  #lastId = 0
  #lastWords = ''
  #startError: JexoError | undefined
  #isOver = false
  #wasKilled = false

  /** Starts the program. Throws a `JexoError` if that is not possible. */
  constructor(run: ProcessRun) {
    this.#run = run
    try {
      this.#child = spawnInGroup(run.program, run.args, run)
    } catch (error) {
      throw commandErrors.programMissing(run.program, messageOf(error))
    }
    const { stdin, stdout, stderr } = this.#child
    this.ended = this.#untilEnd()
    this.description = this.#untilDescribed()
    this.description.catch(() => {})
    const out = new LineSplitter(
      run.maxBytes,
      (line) => this.#take(line),
      () => this.#takeTooLong(),
    )
    stdout.on('data', (chunk: Buffer) => out.push(chunk))
    const errors = new LineSplitter(
      64 * 1024,
      (line) => this.#log(line),
      () => {},
    )
    stderr.on('data', (chunk: Buffer) => errors.push(chunk))
    stdin.on('error', () => {})
  }

  /** True if it can accept a call now: it has sent its description, and is idle or concurrent. */
  get isFree(): boolean {
    return !this.#isOver && this.#described !== undefined && (this.#waiting.size === 0 || this.isConcurrent)
  }

  get isConcurrent(): boolean {
    return this.#described?.concurrent === true
  }

  /** Rejects with a `Refusal` from the program, or with a `JexoError` if it ended. */
  call(name: string, input: JsonObject, call: Call): Promise<Reply> {
    const id = ++this.#lastId
    return new Promise((resolve, reject) => {
      const finish = () => {
        clearTimeout(timer)
        call.signal.removeEventListener('abort', onAbort)
        this.#waiting.delete(id)
      }
      const stop = (reason: unknown) => {
        finish()
        reject(reason)
        this.#stop(id)
      }
      const onAbort = () => stop(call.signal.reason)
      const { timeoutMs } = this.#run
      const timer = setTimeout(
        () => stop(new Refusal(`It was stopped after ${timeoutMs} ms, the time limit.`)),
        timeoutMs,
      )
      this.#waiting.set(id, {
        call,
        resolve: (reply) => {
          finish()
          resolve(reply)
        },
        reject: (error) => {
          finish()
          reject(error)
        },
      })
      if (call.signal.aborted) return onAbort()
      call.signal.addEventListener('abort', onAbort)
      this.#write({ id, call: name, input })
    })
  }

  /** Ends the program: closes its input, then sends signals to its group. */
  async close(): Promise<void> {
    this.#child.stdin.end()
    const term = setTimeout(() => killGroup(this.#child.pid, 'SIGTERM'), graceMs)
    const kill = setTimeout(() => killGroup(this.#child.pid, 'SIGKILL'), 2 * graceMs)
    await this.ended
    clearTimeout(term)
    clearTimeout(kill)
  }

  /** A program that cannot stop a call is ended, unless it has other calls. */
  #stop(id: number): void {
    if (this.#described?.cancel) this.#write({ cancel: id })
    else if (!this.isConcurrent) this.kill()
  }

  /** True if it had started and then ended unexpectedly. */
  get hasFailed(): boolean {
    return this.#described !== undefined && !this.#wasKilled
  }

  kill(): void {
    this.#isOver = true
    this.#wasKilled = true
    killGroup(this.#child.pid, 'SIGKILL')
  }

  #write(message: JsonObject): void {
    this.#child.stdin.write(`${JSON.stringify(message)}\n`)
  }

  #take(line: string): void {
    if (this.#onFirstLine) return this.#onFirstLine(line)
    let message: unknown
    try {
      message = JSON.parse(line)
    } catch {
      message = undefined
    }
    if (!isObject(message)) return this.#log(line)
    if (message.log !== undefined) return this.#log(String(message.message ?? message.log))
    const id = message.id === undefined ? this.#onlyId() : Number(message.id)
    const waiting = id === undefined ? undefined : this.#waiting.get(id)
    if (!waiting) return this.#log(line)
    if (message.error !== undefined) return waiting.reject(new Refusal(errorText(message.error)))
    if (message.progress !== undefined) return reportProgress(waiting.call, message.progress)
    if (Array.isArray(message.content)) return waiting.resolve({ content: message.content })
    // A function without a result still needs a reply.
    if ('output' in message || message.id !== undefined) return waiting.resolve({ output: message.output })
    this.#log(line)
  }

  /** A reply without `id` belongs to the only call. */
  #onlyId(): number | undefined {
    return this.#waiting.size === 1 ? [...this.#waiting.keys()][0] : undefined
  }

  #takeTooLong(): void {
    const refusal = new Refusal(`The program wrote more than ${this.#run.maxBytes} bytes. Ask for less.`)
    if (this.#onFirstLine) this.#onFirstLine('(a line that is too long)')
    for (const { reject } of [...this.#waiting.values()]) reject(refusal)
    this.kill()
  }

  #log(line: string): void {
    this.#lastWords = line.slice(0, maxLoggedLength)
    if (line.trim() !== '') this.#run.onLine(this.#lastWords)
  }

  async #untilDescribed(): Promise<ProcessDescription> {
    const { program, startTimeoutMs } = this.#run
    let timer: NodeJS.Timeout | undefined
    const line = new Promise<string>((resolve, reject) => {
      this.#onFirstLine = resolve
      timer = setTimeout(() => reject(processErrors.silent(program, startTimeoutMs)), startTimeoutMs)
    })
    const end = this.ended.then((how): never => {
      throw this.#endError(how)
    })
    try {
      const first = await Promise.race([line, end])
      this.#onFirstLine = undefined
      this.#described = await readDescription(first, program)
      return this.#described
    } catch (error) {
      this.kill()
      throw error
    } finally {
      clearTimeout(timer)
      end.catch(() => {})
    }
  }

  #endError(how: string): JexoError {
    return this.#startError ?? processErrors.ended(this.#run.program, how, this.#lastWords)
  }

  #untilEnd(): Promise<string> {
    const { program } = this.#run
    return new Promise((resolve) => {
      const settle = (how: string) => {
        this.#isOver = true
        // Ends remaining processes of its group.
        killGroup(this.#child.pid, 'SIGKILL')
        for (const { reject } of [...this.#waiting.values()]) reject(this.#endError(how))
        resolve(how)
      }
      this.#child.once('error', (error) => {
        const reason = (error as NodeJS.ErrnoException).code ?? error.message
        this.#startError = commandErrors.programMissing(program, reason)
        settle(`cannot be started (${reason})`)
      })
      // Its last lines may still be in the pipes, which a remaining child process may hold open.
      this.#child.once('exit', (code, signal) => {
        const how = code === null ? `was ended by ${signal}` : `ended with code ${code}`
        const late = setTimeout(() => settle(how), 300)
        this.#child.once('close', () => {
          clearTimeout(late)
          settle(how)
        })
      })
    })
  }
}

const errorText = (error: unknown): string =>
  (isObject(error) ? String(error.message ?? JSON.stringify(error)) : String(error)).slice(0, 4000)

/** `0.4`, or `{"done": 2, "total": 5, "message": "…"}`. */
function reportProgress(call: Call, progress: unknown): void {
  const { done, total, message } = isObject(progress) ? progress : { done: progress, total: 1 }
  if (typeof done !== 'number' || !Number.isFinite(done)) return
  call.progress(
    done,
    typeof total === 'number' && Number.isFinite(total) ? total : undefined,
    typeof message === 'string' ? message.slice(0, 1000) : undefined,
  )
}
