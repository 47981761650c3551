import { type ChildProcess, spawn } from 'node:child_process'
import type { Readable } from 'node:stream'
import { linkErrors } from '../link/errors.js'
import { isObject } from '../protocol/messages.js'
import type { UpstreamRecord } from '../protocol/upstream.js'
import type { TapeEvent } from '../tape/entry.js'
import type { ChildCommand } from '../transport/child-wire.js'
import { LineSplitter } from '../transport/line-splitter.js'
import { lineNotes } from './record-lines.js'

export interface RelayStreams {
  /** Input from the host. */
  input: Readable
  /** Writes output of the server; returns false if the host is slow, and `drained` is called once it has caught up. */
  write(bytes: Uint8Array): boolean
  drained(then: () => void): void
  /** Lines that the server writes to stderr. */
  writeError(bytes: Uint8Array): void
}

export interface RelayOptions {
  /** Name of the server on the tape. */
  label?: string
  signal?: AbortSignal
  /**
   * How long a server without pending requests may continue after its host has gone, in milliseconds. Default:
   * 5,000.
   */
  graceMs?: number
  /** Called with values that must not be recorded, by a kit of ours, before it answers anything. */
  onSecrets?: ((secrets: string[]) => void) | undefined
}

/** Variable with the file descriptor by which a kit sends its parent information that is not for its host. */
export const upstreamVariable = 'JEXO_UPSTREAM_FD'

const latestMs = 60_000
const mostCounted = 10_000

/**
 * Connects a host on stdio with a server in a child process. Passes bytes unchanged in both directions, and reports
 * them to `add`. Resolves with the child's exit code once it has ended; rejects with a `JexoError` if it cannot be
 * started.
 */
export function relayChild(
  command: ChildCommand,
  streams: RelayStreams,
  add: (event: TapeEvent) => void,
  { label = [command.command, ...command.args].join(' '), signal, onSecrets, graceMs = 5000 }: RelayOptions = {},
): Promise<number> {
  const child = spawn(command.command, [...command.args], {
    stdio: ['pipe', 'pipe', 'pipe', 'pipe'],
    env: { ...(command.env ?? process.env), [upstreamVariable]: '3' } as NodeJS.ProcessEnv,
    ...(command.cwd === undefined ? {} : { cwd: command.cwd }),
  })
  return new Promise((resolve, reject) => {
    child.once('error', (error) => {
      add({ kind: 'state', state: 'closed', text: error.message })
      reject(linkErrors.connectFailed(label, error.message, error))
    })
    child.once('spawn', () => {
      add({ kind: 'state', state: 'open', text: `${label} runs as process ${child.pid}`, label })
      const { pending, watch } = pendingRequests(add)
      passInput(child, streams, watch, { pending, graceMs })
      passOutput(child, streams, watch)
      hearAside(child, add, onSecrets)
    })
    const stop = () => void child.kill('SIGTERM')
    signal?.addEventListener('abort', stop, { once: true })
    child.once('close', (code, by) => {
      signal?.removeEventListener('abort', stop)
      add({
        kind: 'state',
        state: 'closed',
        text: by ? `the server ended by ${by}` : `the server ended with code ${code}`,
        ...(code === 0 || signal?.aborted ? { isClean: true as const } : {}),
      })
      resolve(code ?? 1)
    })
  })
}

/** Ids of any length would fill the memory. */
const isCountable = (id: unknown): boolean => typeof id === 'number' || (typeof id === 'string' && id.length <= 200)

/** Counts the host's requests that have no response yet. */
function pendingRequests(add: (event: TapeEvent) => void) {
  const ids = new Set<unknown>()
  return {
    pending: () => ids.size,
    watch: (event: TapeEvent) => {
      add(event)
      if (event.kind !== 'message') return
      const { id, method } = event.message as { id?: unknown; method?: unknown }
      if (event.from === 'server' && method === undefined) ids.delete(id)
      else if (event.from === 'client' && method !== undefined && isCountable(id) && ids.size < mostCounted)
        ids.add(id)
    },
  }
}

function passInput(
  child: ChildProcess,
  { input }: RelayStreams,
  add: (event: TapeEvent) => void,
  { pending, graceMs }: { pending: () => number; graceMs: number },
): void {
  const { stdin } = child
  if (!stdin) return
  // The child may end before all input is written.
  stdin.on('error', () => {})
  // Passed on first: recording then runs while the server works.
  input.pipe(stdin)
  const notes = lineNotes(add, 'client')
  input.on('data', (chunk: Buffer) => notes.push(chunk))
  input.once('end', () => {
    notes.end()
    // A server that does not end with its host would run for ever. One that still works gets more time.
    const end = () => {
      child.kill('SIGTERM')
      setTimeout(() => child.kill('SIGKILL'), graceMs).unref()
    }
    const idle = setTimeout(() => {
      if (pending() > 0) idle.refresh()
      else end()
    }, graceMs).unref()
    setTimeout(end, latestMs).unref()
    child.stdout?.on('data', () => idle.refresh())
    child.once('exit', () => clearTimeout(idle))
  })
}

function passOutput(child: ChildProcess, streams: RelayStreams, add: (event: TapeEvent) => void): void {
  const notes = lineNotes(add, 'server')
  child.stdout?.on('data', (chunk: Buffer) => {
    const isTaken = streams.write(chunk)
    notes.push(chunk)
    if (isTaken) return
    child.stdout?.pause()
    streams.drained(() => child.stdout?.resume())
  })
  child.stdout?.once('end', () => notes.end())
  const errors = new LineSplitter(
    1024 * 1024,
    (text) => add({ kind: 'stderr', text }),
    () => {},
  )
  child.stderr?.on('data', (chunk: Buffer) => {
    streams.writeError(chunk)
    errors.push(chunk)
  })
  child.stderr?.once('end', () => errors.end())
}

/** Reads the upstream records of a kit from a separate descriptor; other servers do not write to it. */
function hearAside(
  child: ChildProcess,
  add: (event: TapeEvent) => void,
  onSecrets?: (secrets: string[]) => void,
): void {
  const lines = new LineSplitter(
    1024 * 1024,
    (line) => {
      const aside = readAside(line)
      if (aside.record) add({ kind: 'upstream', record: aside.record })
      if (aside.secrets) onSecrets?.(aside.secrets)
    },
    () => {},
  )
  const channel = child.stdio[3] as Readable | null
  channel?.on('error', () => {})
  channel?.on('data', (chunk: Buffer) => lines.push(chunk))
}

/** Parses a line from a kit to its parent: an upstream record, or values that must not be recorded. */
export function readAside(line: string): { record?: UpstreamRecord; secrets?: string[] } {
  try {
    const value: unknown = JSON.parse(line)
    if (!isObject(value)) return {}
    if (Array.isArray(value.secrets)) return { secrets: value.secrets.map(String) }
    return typeof value.label === 'string' ? { record: value as unknown as UpstreamRecord } : {}
  } catch {
    return {}
  }
}
