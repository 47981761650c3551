import { type ChildProcessWithoutNullStreams, spawn } from 'node:child_process'
import { mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import type { Loose } from './raw-session.js'

export const root = resolve(import.meta.dirname, '../..')
export const bin = join(root, 'bin/jexo.mjs')
export const apiary = join(root, 'examples/apiary/apiary.kit.ts')
export const hives = join(root, 'test/support/hives.kit.ts')

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
  return new Promise((done) => child.on('close', (code) => done(withoutSlowness({ ...ran, code }))))
}

/** On a busy machine, stderr may report that loading a kit or indexing a folder is slow; success does not depend on it. */
const withoutSlowness = (ran: Ran): Ran =>
  ran.code === 0 ? { ...ran, stderr: ran.stderr.replace(/^jexo: (still loading|index(ing|ed) \d).*\n/gm, '') } : ran

/**
 * Runs a command in a process that other tests share. Tests of the process itself (signals, stdin, variables, a kit
 * that prints or changes) use `run` and `bin`.
 */
export const jexo = (...args: string[]): Promise<Ran> => jexoIn(root, ...args)

/** The same, with another current folder. */
export const jexoIn = (cwd: string, ...args: string[]): Promise<Ran> =>
  jexoWith({ ...process.env, NO_COLOR: '1' }, cwd, ...args)

/** The same, with other variables. */
export async function jexoWith(env: NodeJS.ProcessEnv, cwd: string, ...args: string[]): Promise<Ran> {
  return withoutSlowness(await commandRunner.run(args, cwd, env))
}

declare global {
  // Set by `environment.mjs`.
  var commandRunner: { run(args: readonly string[], cwd: string, env: NodeJS.ProcessEnv): Promise<Ran> }
}

export const newFolder = (): string => mkdtempSync(join(tmpdir(), 'jexo test é '))

/** Writes a file into a new folder whose name has spaces and letters beyond ASCII; returns its path. */
export function written(name: string, text: string): string {
  const file = join(newFolder(), name)
  writeFileSync(file, text)
  return file
}

/** A running child process: waits for text on stdout or stderr, ends it with a signal. */
export class Running {
  static readonly #all = new Set<Running>()
  readonly child: ChildProcessWithoutNullStreams
  said = ''

  constructor(args: string[], { cwd, env }: RunOptions = {}, command = process.execPath) {
    this.child = spawn(command, args, { cwd: cwd ?? root, env: env ?? { ...process.env, NO_COLOR: '1' } })
    for (const stream of [this.child.stdout, this.child.stderr]) stream.on('data', (chunk) => (this.said += chunk))
    Running.#all.add(this)
    this.child.once('close', () => Running.#all.delete(this))
  }

  /** Ends the processes of a failed test. */
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
    if (this.child.exitCode !== null || this.child.signalCode !== null) return Promise.resolve(this.child.exitCode)
    const ended = new Promise<number | null>((done) => this.child.once('close', done))
    this.child.kill(signal)
    return ended
  }
}

/** Sends lines to a stdio server, and returns its stdout as parsed lines. */
export async function speak(
  args: string[],
  lines: (object | string)[],
  options: RunOptions = {},
): Promise<Ran & { lines: Loose[] }> {
  const input = lines.map((line) => `${typeof line === 'string' ? line : JSON.stringify(line)}\n`).join('')
  // A busy machine may need more than the usual time for calls that still run when the input ends.
  const given = options.env ?? { ...(process.env as Record<string, string>), NO_COLOR: '1' }
  const env = { JEXO_GRACE_MS: '30000', ...given }
  const ran = await run(process.execPath, args, { ...options, env, input })
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
