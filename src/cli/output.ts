import pc from 'picocolors'
import { isJexoError } from '../errors.js'
import { RpcError } from '../protocol/rpc-error.js'
import { installStdoutGuard } from '../transport/stdout-guard.js'

const hasColour = (stream: NodeJS.WriteStream) =>
  (stream.isTTY === true || Boolean(process.env.FORCE_COLOR)) &&
  !process.env.NO_COLOR &&
  process.env.TERM !== 'dumb'

/** Colours for stdout and for stderr, each only where it is a terminal. */
export const colours = pc.createColors(hasColour(process.stdout))
export const errorColours = pc.createColors(hasColour(process.stderr))

/** Writes what was asked for, past the guard that keeps a kit's own prints away from stdout. */
export function out(text: string): void {
  installStdoutGuard().write(text.endsWith('\n') ? text : `${text}\n`)
}

export const outJson = (value: unknown): void => out(JSON.stringify(value, null, 2))

/** Writes everything else. */
export function say(text: string): void {
  process.stderr.write(text.endsWith('\n') ? text : `${text}\n`)
}

/** Width of the terminal, or what reads well elsewhere. */
export const columns = (): number => Math.max(60, Math.min(process.stdout.columns ?? 100, 120))

/** A text in lines of at most a width, broken between words. */
export function wrapped(text: string, width: number): string[] {
  const line = new RegExp(`.{1,${width}}(?:\\s|$)|\\S+`, 'g')
  return text.split('\n').flatMap((row) => row.match(line)?.map((part) => part.trimEnd()) ?? [row])
}

/** Ends a command: 1 where the thing asked for failed, or the code of what was run. */
export class Failed extends Error {
  readonly exitCode: number
  constructor(exitCode = 1) {
    super(`exit code ${exitCode}`)
    this.exitCode = exitCode
  }
}

/** What an error is for `--json`. */
export function errorValue(error: unknown): { error: { code: number | string; message: string; data?: unknown } } {
  if (error instanceof RpcError) {
    const { code, message, data } = error
    return { error: { code, message, ...(data === undefined ? {} : { data }) } }
  }
  if (isJexoError(error)) return { error: { code: error.code, message: error.message } }
  return { error: { code: 'unexpected', message: error instanceof Error ? error.message : String(error) } }
}
