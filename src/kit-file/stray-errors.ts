import { escapeControls } from '../escape/terminal.js'
import { whereabouts } from '../transport/stdout-guard.js'

/** An uncaught error: an unhandled rejection, or an exception in a timer of the author's code. */
export interface StrayError {
  /** The running part as text: ``in tool `weigh_hive` ``; `outside any call`. */
  readonly where: string
  /** The error in one line, with the stack frames of the author's code. */
  readonly text: string
  /** True if it was reported often enough to be omitted from logs. */
  readonly isRepeated: boolean
}

type Listener = (stray: StrayError) => void

/** The latest listener receives the errors. */
const listeners: Listener[] = []
let isInstalled = false

/**
 * Keeps the process running after uncaught errors, and reports them on stderr or to the listener of `onStrayErrors`.
 */
export function catchStrayErrors(): void {
  if (isInstalled) return
  isInstalled = true
  const heard = (error: unknown) => {
    const text = textOf(error)
    const stray = { where: whereabouts(), text, isRepeated: isToldOften(text) }
    const listener = listeners.at(-1) ?? sayOnStderr
    listener(stray)
  }
  // If stderr is closed, nobody can be told; reporting that would fail again.
  process.stderr.on('error', () => {})
  process.on('unhandledRejection', heard)
  process.on('uncaughtException', heard)
}

/** Receives uncaught errors instead of the previous listener; returns a function that restores it. */
export function onStrayErrors(listener: Listener): () => void {
  listeners.push(listener)
  return () => void listeners.splice(listeners.indexOf(listener), 1)
}

/** Maximum number of reports per error, and of distinct errors. */
const maxTold = 20
const maxTexts = 200
const told = new Map<string, number>()

/** A failing timer may fail a thousand times a second. */
function isToldOften(text: string): boolean {
  const count = (told.get(text) ?? 0) + 1
  if (count === 1 && told.size >= maxTexts) told.clear()
  told.set(text, count)
  return count > maxTold
}

/** One sentence for a log. */
export const strayText = ({ where, text }: StrayError): string => `uncaught error ${where}: ${text}`

function sayOnStderr(stray: StrayError): void {
  if (!stray.isRepeated) process.stderr.write(`jexo: error: ${escapeControls(strayText(stray))}\n`)
}

/** The message and the stack frames, without those of Node and of packages. */
function textOf(error: unknown): string {
  if (!(error instanceof Error)) return `a value that is not an error: ${String(error).slice(0, 500)}`
  const lines = (error.stack ?? '').split('\n').filter((line) => /^\s+at /.test(line))
  const own = lines
    .filter((line) => !/\(?node:|[\\/]node_modules[\\/]|[\\/]dist[\\/]command[\\/]/.test(line))
    .slice(0, 4)
  return [`${error.name}: ${error.message}`, ...own.map((line) => line.trimEnd())].join('\n')
}
