import { AsyncLocalStorage } from 'node:async_hooks'
import { Console } from 'node:console'
import fs from 'node:fs'
import { syncBuiltinESMExports } from 'node:module'

/**
 * Keeps stdout clean for the protocol: other output is redirected to stderr, and each place that writes is reported
 * once, with the function and the tool (Transports, "stdio").
 */
interface Guard {
  /** Writes protocol bytes to the real stdout; returns false if the reader is slow. */
  write(text: string | Uint8Array): boolean
  runNamed<T>(label: string, run: () => T): T
  whereabouts(): string
}

const before = 'jexo: stdout is for the protocol; '
const after = ' was sent to stderr instead:'

/**
 * The place that printed, such as `console.log in the loading of hives.kit.ts`, if a line on stderr comes from the
 * guard.
 */
export function divertedBy(line: string): string | undefined {
  return line.startsWith(before) && line.endsWith(after) ? line.slice(before.length, -after.length) : undefined
}

// One guard per process, even with two copies of the package.
const slot = Symbol.for('jexo.guard')
const held = globalThis as { [slot]?: Guard }

/** True once the guard is installed. */
export const isGuarded = (): boolean => held[slot] !== undefined

/** Installs the guard, before the kit is imported; does nothing the second time. */
export function installStdoutGuard(): Guard {
  held[slot] ??= install()
  return held[slot]
}

/** Runs an author's function so that the guard can name it, such as ``tool `weigh_hive` ``. */
export function runNamed<T>(label: string, run: () => T): T {
  return held[slot] ? held[slot].runNamed(label, run) : run()
}

/** The author's function that is running, as text: ``in tool `weigh_hive` ``; `outside any call`, with the last one. */
export const whereabouts = (): string => held[slot]?.whereabouts() ?? 'outside any call'

/**
 * Tracks which of the author's functions is running. Until something is printed, it only counts calls in progress,
 * since following asynchronous calls has a cost; from the first print on, calls are followed exactly.
 */
class Whereabouts {
  readonly #followed = new AsyncLocalStorage<string>()
  readonly #underWay = new Map<string, number>()
  #now: string | undefined
  #last: string | undefined
  #isFollowing = false

  run<T>(label: string, run: () => T): T {
    this.#last = label
    if (this.#isFollowing) return this.#followed.run(label, run)
    const before = this.#now
    this.#now = label
    let result: T
    try {
      result = run()
    } finally {
      this.#now = before
    }
    // Functions that have returned print no more; only asynchronous ones must be tracked.
    if (result instanceof Promise) this.#remember(label, result)
    return result
  }

  /** The origin of a print, as text. */
  find(): string {
    this.#isFollowing = true
    const place = this.#followed.getStore() ?? this.#now
    if (place !== undefined) return `in ${place}`
    const candidates = [...this.#underWay.keys()]
    if (candidates.length === 0) return 'outside any call'
    return candidates.length === 1 ? `in ${candidates[0]}` : `in one of ${candidates.join(', ')}`
  }

  /** The same; if nothing is running, with the last function that ran. */
  findOrLast(): string {
    const place = this.find()
    return place === 'outside any call' && this.#last !== undefined
      ? `${place} (the last was ${this.#last})`
      : place
  }

  #remember(label: string, result: Promise<unknown>): void {
    this.#underWay.set(label, (this.#underWay.get(label) ?? 0) + 1)
    const leave = () => this.#leave(label)
    result.then(leave, leave)
  }

  #leave(label: string): void {
    const left = (this.#underWay.get(label) ?? 1) - 1
    if (left > 0) this.#underWay.set(label, left)
    else this.#underWay.delete(label)
  }
}

const consoleMethods = [
  'log',
  'info',
  'debug',
  'dir',
  'dirxml',
  'table',
  'group',
  'count',
  'timeEnd',
  'timeLog',
] as const

function install(): Guard {
  const followed = new Whereabouts()
  const said = new Set<string>()
  const realWrite = process.stdout.write.bind(process.stdout)
  let writer: string | undefined

  const say = (name: string) => {
    const text = `${name} ${followed.find()}`
    if (said.has(text)) return
    said.add(text)
    process.stderr.write(`${before}${text}${after}\n`)
  }

  process.stdout.write = ((chunk: string | Uint8Array, encoding?: unknown, done?: unknown) => {
    say(writer ?? 'process.stdout.write')
    return process.stderr.write(chunk as string, encoding as BufferEncoding, done as () => void)
  }) as typeof process.stdout.write

  // The consoles of Bun and Deno do not use `process.stdout`.
  const isNative = 'Bun' in globalThis || 'Deno' in globalThis
  const printer = isNative ? new Console({ stdout: process.stdout, stderr: process.stderr }) : console
  for (const method of consoleMethods) {
    const original = printer[method] as (...args: unknown[]) => void
    console[method] = (...args: unknown[]) => {
      const before = writer
      writer = `console.${method}`
      try {
        original.apply(printer, args)
      } finally {
        writer = before
      }
    }
  }
  divertDescriptor(say)
  return {
    write: (text) => realWrite(text),
    runNamed: (label, run) => followed.run(label, run),
    whereabouts: () => followed.findOrLast(),
  }
}

/** Direct writes to descriptor 1 bypass the stream; they are redirected to 2. */
function divertDescriptor(say: (name: string) => void): void {
  const realWriteSync = fs.writeSync
  fs.writeSync = ((descriptor: number, ...rest: unknown[]) => {
    if (descriptor === 1) say('fs.writeSync')
    return (realWriteSync as (...args: unknown[]) => number)(descriptor === 1 ? 2 : descriptor, ...rest)
  }) as typeof fs.writeSync
  syncBuiltinESMExports()
}
