import { type ChildProcess, spawn } from 'node:child_process'
import type { Readable, Writable } from 'node:stream'
import type { ChildCommand } from '../../transport/child-wire.js'
import { Talk, type WireServer } from './talk.js'

/** A server that is started as a child process for each session (Transports, "stdio"). */
export const childServer = (command: ChildCommand): WireServer => ({
  transport: 'stdio',
  open: async () => new ChildTalk(command),
})

/** Messages as lines on two streams. */
export class LineTalk extends Talk {
  readonly #input: Writable

  constructor(input: Writable, output: Readable) {
    super()
    this.#input = input
    let held = ''
    output.setEncoding('utf8').on('data', (chunk: string) => {
      const lines = (held + chunk).split('\n')
      held = lines.pop() ?? ''
      for (const line of lines) this.receive(parsed(line))
    })
    input.on('error', () => {})
  }

  send(value: unknown): void {
    this.sendText(JSON.stringify(value))
  }

  sendText(text: string): void {
    this.#input.write(`${text}\n`)
  }

  async close(): Promise<void> {
    this.#input.end()
  }
}

class ChildTalk extends LineTalk {
  readonly #child: ChildProcess
  readonly #ended: Promise<void>

  constructor({ command, args, cwd, env }: ChildCommand) {
    const child = spawn(command, [...args], {
      stdio: ['pipe', 'pipe', 'ignore'],
      ...(cwd === undefined ? {} : { cwd }),
      ...(env === undefined ? {} : { env: env as NodeJS.ProcessEnv }),
    })
    super(child.stdin, child.stdout)
    this.#child = child
    this.#ended = new Promise((resolve) => {
      child.once('error', (error) => this.ended(error.message))
      child.once('close', (code, signal) => {
        this.ended(signal ? `it was ended by ${signal}` : `it exited with code ${code}`)
        resolve()
      })
    })
  }

  override async close(): Promise<void> {
    await super.close()
    const timer = setTimeout(() => this.#child.kill('SIGKILL'), 5000)
    await this.#ended
    clearTimeout(timer)
  }
}

/** Parsed JSON, otherwise the text itself, so that checks see lines on stdout that are not messages. */
export function parsed(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return text
  }
}
