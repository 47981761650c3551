import { type ChildProcessWithoutNullStreams, spawn } from 'node:child_process'
import { mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import type { Loose } from './raw-session.js'

export const root = resolve(import.meta.dirname, '../..')
export const bin = join(root, 'bin/jexo.mjs')
export const apiary = join(root, 'examples/apiary/apiary.kit.ts')

export interface Ran {
  code: number | null
  stdout: string
  stderr: string
}
export interface RunOptions {
  cwd?: string
  env?: Record<string, string>
  input?: string
}

/** Runs a command to its end. */
export function run(command: string, args: string[], { cwd, env, input }: RunOptions = {}): Promise<Ran> {
  const child = spawn(command, args, { cwd: cwd ?? root, env: env ?? { ...process.env, NO_COLOR: '1' } })
  const ran: Ran = { code: null, stdout: '', stderr: '' }
  // Decoded as a stream: a character may be split between two chunks.
  for (const stream of [child.stdout, child.stderr]) stream.setEncoding('utf8')
  child.stdout.on('data', (chunk) => (ran.stdout += chunk))
  child.stderr.on('data', (chunk) => (ran.stderr += chunk))
  child.stdin.end(input ?? '')
  return new Promise((done) => child.on('close', (code) => done({ ...ran, code })))
}

export const jexo = (...args: string[]): Promise<Ran> => run(process.execPath, [bin, ...args])

export const newFolder = (): string => mkdtempSync(join(tmpdir(), 'jexo test é '))

/** Writes a file into a new folder of its own, whose name has spaces and letters beyond ASCII; gives its path. */
export function written(name: string, text: string): string {
  const file = join(newFolder(), name)
  writeFileSync(file, text)
  return file
}

/** A child that goes on running: waits for a text on stdout or stderr, ends it by a signal. */
export class Running {
  static readonly #all = new Set<Running>()
  readonly child: ChildProcessWithoutNullStreams
  said = ''

  constructor(args: string[], { cwd, env }: RunOptions = {}) {
    this.child = spawn(process.execPath, args, { cwd: cwd ?? root, env: env ?? { ...process.env, NO_COLOR: '1' } })
    for (const stream of [this.child.stdout, this.child.stderr]) stream.on('data', (chunk) => (this.said += chunk))
    Running.#all.add(this)
    this.child.once('close', () => Running.#all.delete(this))
  }

  /** Ends what a failed test left running. */
  static async endAll(): Promise<void> {
    await Promise.all([...Running.#all].map((running) => running.end('SIGKILL')))
  }

  async until(pattern: RegExp): Promise<RegExpExecArray> {
    for (;;) {
      const found = pattern.exec(this.said)
      if (found) return found
      if (this.child.exitCode !== null) throw new Error(`it ended before it said ${pattern}:\n${this.said}`)
      await new Promise<void>((resolve) => {
        const streams = [this.child.stdout, this.child.stderr]
        const wake = () => {
          for (const stream of streams) stream.off('data', wake)
          this.child.off('close', wake)
          resolve()
        }
        for (const stream of streams) stream.on('data', wake)
        this.child.on('close', wake)
      })
    }
  }

  end(signal: NodeJS.Signals = 'SIGINT'): Promise<number | null> {
    if (this.child.exitCode !== null) return Promise.resolve(this.child.exitCode)
    const ended = new Promise<number | null>((done) => this.child.once('close', done))
    this.child.kill(signal)
    return ended
  }
}

/** Speaks to a stdio server by bare lines, and gives everything it wrote to stdout as parsed lines. */
export async function speak(
  args: string[],
  lines: (object | string)[],
  options: RunOptions = {},
): Promise<Ran & { lines: Loose[] }> {
  const input = lines.map((line) => `${typeof line === 'string' ? line : JSON.stringify(line)}\n`).join('')
  const ran = await run(process.execPath, args, { ...options, input })
  return {
    ...ran,
    lines: ran.stdout
      .split('\n')
      .filter(Boolean)
      .map((line) => JSON.parse(line)),
  }
}

export const hello = (revision: string) => ({
  jsonrpc: '2.0',
  id: 'hello',
  method: 'initialize',
  params: { protocolVersion: revision, capabilities: {}, clientInfo: { name: 'test', version: '1' } },
})
export const ready = { jsonrpc: '2.0', method: 'notifications/initialized' }
export const weigh = (id: number, hive = 'ML-04') => ({
  jsonrpc: '2.0',
  id,
  method: 'tools/call',
  params: { name: 'weigh_hive', arguments: { hive } },
})
