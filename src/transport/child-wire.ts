import { type ChildProcess, spawn } from 'node:child_process'
import type { Readable } from 'node:stream'
import { linkErrors } from '../link/errors.js'
import type { Wire, WireHandlers } from '../link/wire.js'
import { type Message, messagesIn } from '../protocol/messages.js'
import { transportErrors } from './errors.js'
import { keptLines, lastWords } from './last-words.js'
import { LineSplitter } from './line-splitter.js'

export interface ChildCommand {
  command: string
  args: readonly string[]
  cwd?: string
  /** The complete environment of the child. Default: that of this process. */
  env?: Readonly<Record<string, string | undefined>>
}
export interface ChildWireOptions {
  /** Called with each line of the child's stderr. */
  onStderr?: (line: string) => void
  /** Called with lines on the child's stdout that are not messages. */
  onStray?: (line: string) => void
  /** Called with lines that the child writes to descriptor 3, whose number it gets in a variable. */
  aside?: { variable?: string; hear(line: string): void } | undefined
  /** Time limit for the child to end by itself, and again after SIGTERM. Default: 2,000. */
  graceMs?: number
  maxBytes?: number
}

/** Maximum length of a line of stderr. */
const maxErrorBytes = 256 * 1024

/** A wire to a server in a child process: one message per line on its stdin and stdout (Transports, "stdio"). */
export class ChildWire implements Wire {
  readonly label: string
  readonly network = { transport: 'pipe' } as const
  readonly #command: ChildCommand
  readonly #options: ChildWireOptions
  #child: ChildProcess | undefined
  #ended: Promise<void> | undefined
  readonly #lastErrors: string[] = []

  constructor(command: ChildCommand, options: ChildWireOptions = {}) {
    this.label = [command.command, ...command.args].join(' ')
    this.#command = command
    this.#options = options
  }

  start(handlers: WireHandlers): Promise<void> {
    const { command, args, cwd, env } = this.#command
    const { aside } = this.#options
    const child = spawn(command, [...args], {
      stdio: aside ? ['pipe', 'pipe', 'pipe', 'pipe'] : ['pipe', 'pipe', 'pipe'],
      env: { ...(env ?? process.env), ...(aside?.variable ? { [aside.variable]: '3' } : {}) } as NodeJS.ProcessEnv,
      ...(cwd === undefined ? {} : { cwd }),
    })
    this.#child = child
    this.#listen(child, handlers)
    return new Promise((resolve, reject) => {
      child.once('spawn', resolve)
      child.once('error', (error) => reject(linkErrors.connectFailed(this.label, error.message, error)))
    })
  }

  send(message: Message): Promise<void> {
    return new Promise((resolve, reject) => {
      const stdin = this.#child?.stdin
      if (!stdin?.writable) return reject(transportErrors.childEnded(this.label, 'its stdin is closed'))
      stdin.write(`${JSON.stringify(message)}\n`, (error) => (error ? reject(error) : resolve()))
    })
  }

  /** Closes the child's stdin, waits, then SIGTERM, then SIGKILL (Lifecycle, "Shutdown"). */
  async close(graceMs = this.#options.graceMs ?? 2000): Promise<void> {
    const child = this.#child
    if (!child || child.exitCode !== null || child.signalCode !== null || child.pid === undefined) return
    child.stdin?.end()
    for (const signal of ['SIGTERM', 'SIGKILL'] as const) {
      if (await this.#endedWithin(graceMs)) return
      child.kill(signal)
    }
    await this.#ended
  }

  /** Kills the child. */
  kill(): void {
    this.#child?.kill('SIGKILL')
  }

  #listen(child: ChildProcess, handlers: WireHandlers): void {
    const maxBytes = this.#options.maxBytes ?? 64 * 1024 * 1024
    const lines = new LineSplitter(
      maxBytes,
      (line) => this.#take(line, handlers),
      () => {
        handlers.closed(`the server sent a line of more than ${maxBytes} bytes`)
        void this.close()
      },
    )
    const errors = new LineSplitter(
      maxErrorBytes,
      (line) => this.#hearError(line),
      () => this.#hearError(`(a line of more than ${maxErrorBytes} bytes, dropped)`),
    )
    child.stdout?.on('data', (chunk: Buffer) => lines.push(chunk))
    child.stderr?.on('data', (chunk: Buffer) => errors.push(chunk))
    this.#hearAside(child)
    child.stdin?.on('error', () => {})
    this.#ended = new Promise((resolve) => {
      child.once('close', (code, signal) => {
        lines.end()
        errors.end()
        const how = signal ? `by ${signal}` : `with code ${code}`
        const said = lastWords(this.#lastErrors)
        handlers.closed(`the server ended ${how}${said}`)
        resolve()
      })
      child.once('error', () => resolve())
    })
  }

  #hearAside(child: ChildProcess): void {
    const { aside } = this.#options
    const channel = child.stdio[3] as Readable | null | undefined
    if (!aside || !channel) return
    const lines = new LineSplitter(
      1024 * 1024,
      (line) => aside.hear(line),
      () => {},
    )
    channel.on('error', () => {})
    channel.on('data', (chunk: Buffer) => lines.push(chunk))
  }

  #take(line: string, handlers: WireHandlers): void {
    const messages = messagesIn(line, handlers.unusable) ?? []
    if (messages.length === 0) this.#options.onStray?.(line)
    for (const message of messages) handlers.receive(message)
  }

  #hearError(line: string): void {
    this.#lastErrors.push(line.slice(0, 2000))
    if (this.#lastErrors.length > keptLines) this.#lastErrors.shift()
    this.#options.onStderr?.(line)
  }

  async #endedWithin(ms: number): Promise<boolean> {
    let timer: NodeJS.Timeout | undefined
    const late = new Promise<false>((resolve) => {
      timer = setTimeout(() => resolve(false), ms)
    })
    const ended = (this.#ended ?? Promise.resolve()).then(() => true as const)
    const isEnded = await Promise.race([ended, late])
    clearTimeout(timer)
    return isEnded
  }
}
