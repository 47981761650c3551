import { randomBytes } from 'node:crypto'
import pc from 'picocolors'
import { isJexoError, messageOf } from '../../errors.js'
import { escapeControls } from '../../escape/terminal.js'
import { RpcError } from '../../protocol/rpc-error.js'
import { installStdoutGuard } from '../../transport/stdout-guard.js'

const hasColour = (stream: NodeJS.WriteStream) =>
  (stream.isTTY === true || Boolean(process.env.FORCE_COLOR)) &&
  !process.env.NO_COLOR &&
  process.env.TERM !== 'dumb'

/**
 * Colours are written with a random mark and become control sequences when they are printed. All other control characters are escaped.
 */
const mark = `\u001b${randomBytes(8).toString('hex')}`
const escaped = (text: string): string => text.split(mark).map(escapeControls).join(mark)
const printable = (text: string): string => escaped(text).replaceAll(mark, '\u001b')

type Colours = ReturnType<typeof pc.createColors>

function markedColours(isColoured: boolean): Colours {
  const plain = pc.createColors(isColoured)
  if (!isColoured) return plain
  const marked = (paint: (text: string) => string) => (text: string) =>
    paint(escaped(String(text)).replaceAll(mark, '\u001b')).replaceAll('\u001b', mark)
  return Object.fromEntries(
    Object.entries(plain).map(([name, paint]) => [
      name,
      typeof paint === 'function' ? marked(paint as never) : paint,
    ]),
  ) as unknown as Colours
}

/** Colours for stdout and for stderr, each only where it is a terminal. */
export const colours = markedColours(hasColour(process.stdout))
export const errorColours = markedColours(hasColour(process.stderr))

/** Writes a result to stdout, past the guard that redirects other output. */
export function out(text: string): void {
  installStdoutGuard().write(printable(text.endsWith('\n') ? text : `${text}\n`))
}

export const outJson = (value: unknown): void => out(JSON.stringify(value, null, 2))

/** Writes everything else. */
export function say(text: string): void {
  process.stderr.write(printable(text.endsWith('\n') ? text : `${text}\n`))
}

/** Shows progress on one line that the next call overwrites; only on a terminal. An empty text clears it. */
export function sayProgress(text: string): void {
  if (process.stderr.isTTY) process.stderr.write(`\r\u001b[K${printable(errorColours.dim(text))}`)
}

/** Shows on a terminal what is being done, if it takes more than a second. */
export async function whileWaiting<T>(text: string | (() => string), run: () => Promise<T>): Promise<T> {
  const startedAt = Date.now()
  const now = () => (typeof text === 'string' ? text : text())
  const timer = setInterval(() => sayProgress(`${now()} (${Math.round((Date.now() - startedAt) / 1000)} s)`), 1000)
  try {
    return await run()
  } finally {
    clearInterval(timer)
    if (Date.now() - startedAt >= 1000) sayProgress('')
  }
}

/** Width of the terminal, or a default for files and pipes. */
export const columns = (): number => Math.max(60, Math.min(process.stdout.columns ?? 100, 120))

/** Breaks a text into lines of a maximum width, between words. */
export function wrapped(text: string, width: number): string[] {
  const line = new RegExp(`.{1,${width}}(?:\\s|$)|\\S+`, 'g')
  const most = 4000
  const shown = text.length > most ? `${text.slice(0, most)}… (${text.length} characters in all)` : text
  return shown.split('\n').flatMap((row) => row.match(line)?.map((part) => part.trimEnd()) ?? [row])
}

/** Ends a command with exit code 1 for a failed operation, or with another code. */
export class Failed extends Error {
  readonly exitCode: number
  constructor(exitCode = 1) {
    super(`exit code ${exitCode}`)
    this.exitCode = exitCode
  }
}

/** An error as `--json` prints it. */
export function errorValue(error: unknown): { error: { code: number | string; message: string; data?: unknown } } {
  if (error instanceof RpcError) {
    const { code, message, data } = error
    return { error: { code, message, ...(data === undefined ? {} : { data }) } }
  }
  if (isJexoError(error)) return { error: { code: error.code, message: error.message } }
  return { error: { code: 'unexpected', message: messageOf(error) } }
}
