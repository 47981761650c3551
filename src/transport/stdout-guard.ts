import { AsyncLocalStorage } from 'node:async_hooks'
import fs from 'node:fs'
import { syncBuiltinESMExports } from 'node:module'

/**
 * Keeps stdout clean for the protocol: whatever else is written there goes to stderr, and once for each place it is
 * said which function wrote and in which tool (digest §7).
 */
interface Guard {
  /** Writes protocol bytes to the real stdout; false where the reader is slow. */
  write(text: string | Uint8Array): boolean
  where: AsyncLocalStorage<string>
}

// One guard a process, even where two copies of the package meet.
const slot = Symbol.for('jexo.guard')
const held = globalThis as { [slot]?: Guard }

/** True once the guard is in place. */
export const isGuarded = (): boolean => held[slot] !== undefined

/** Puts the guard in place, before the kit is imported; a second time changes nothing. */
export function installStdoutGuard(): Guard {
  held[slot] ??= install()
  return held[slot]
}

/** Runs an author's function so that the guard can name what it was, such as ``tool `weigh_hive` ``. */
export function runNamed<T>(label: string, run: () => T): T {
  return held[slot] ? held[slot].where.run(label, run) : run()
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
  const where = new AsyncLocalStorage<string>()
  const said = new Set<string>()
  const realWrite = process.stdout.write.bind(process.stdout)
  let writer: string | undefined

  const say = (name: string) => {
    const place = where.getStore()
    const text = place ? `${name} in ${place}` : `${name} outside any call`
    if (said.has(text)) return
    said.add(text)
    process.stderr.write(`jexo: stdout is for the protocol; ${text} was sent to stderr instead:\n`)
  }

  process.stdout.write = ((chunk: string | Uint8Array, encoding?: unknown, done?: unknown) => {
    say(writer ?? 'process.stdout.write')
    return process.stderr.write(chunk as string, encoding as BufferEncoding, done as () => void)
  }) as typeof process.stdout.write

  for (const method of consoleMethods) {
    const original = console[method] as (...args: unknown[]) => void
    console[method] = (...args: unknown[]) => {
      const before = writer
      writer = `console.${method}`
      try {
        original.apply(console, args)
      } finally {
        writer = before
      }
    }
  }
  divertDescriptor(say)
  return { write: (text) => realWrite(text), where }
}

/** Writes to descriptor 1 by number pass the stream by; they are sent to 2. */
function divertDescriptor(say: (name: string) => void): void {
  const realWriteSync = fs.writeSync
  fs.writeSync = ((descriptor: number, ...rest: unknown[]) => {
    if (descriptor === 1) say('fs.writeSync')
    return (realWriteSync as (...args: unknown[]) => number)(descriptor === 1 ? 2 : descriptor, ...rest)
  }) as typeof fs.writeSync
  syncBuiltinESMExports()
}
