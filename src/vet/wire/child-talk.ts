import { type ChildProcess, spawn } from 'node:child_process'
import type { ChildCommand } from '../../transport/child-wire.js'
import { Talk, type WireServer } from './talk.js'

/** A server that is started as a child for each session and speaks by lines (Transports, "stdio"). */
export const childServer = (command: ChildCommand): WireServer => ({
  transport: 'stdio',
  open: async () => new ChildTalk(command),
})

class ChildTalk extends Talk {
  readonly #child: ChildProcess
  readonly #ended: Promise<void>

  constructor({ command, args, cwd, env }: ChildCommand) {
    super()
    const child = spawn(command, [...args], {
      stdio: ['pipe', 'pipe', 'ignore'],
      ...(cwd === undefined ? {} : { cwd }),
      ...(env === undefined ? {} : { env: env as NodeJS.ProcessEnv }),
    })
    this.#child = child
    let held = ''
    child.stdout?.setEncoding('utf8').on('data', (chunk: string) => {
      const lines = (held + chunk).split('\n')
      held = lines.pop() ?? ''
      for (const line of lines) this.receive(parsed(line))
    })
    child.stdin?.on('error', () => {})
    this.#ended = new Promise((resolve) => {
      child.once('error', (error) => this.ended(error.message))
      child.once('close', (code, signal) => {
        this.ended(signal ? `it ended by ${signal}` : `it ended with code ${code}`)
        resolve()
      })
    })
  }

  send(value: unknown): void {
    this.sendText(JSON.stringify(value))
  }

  sendText(text: string): void {
    this.#child.stdin?.write(`${text}\n`)
  }

  async close(): Promise<void> {
    this.#child.stdin?.end()
    const timer = setTimeout(() => this.#child.kill('SIGKILL'), 5000)
    await this.#ended
    clearTimeout(timer)
  }
}

/** JSON where it is JSON, else the text itself: what does not belong on stdout is seen by the rows. */
export function parsed(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return text
  }
}
