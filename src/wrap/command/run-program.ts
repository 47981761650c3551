import { messageOf } from '../../errors.js'
import { Refusal } from '../../kit/refusal.js'
import { LineSplitter } from '../../transport/line-splitter.js'
import { commandErrors } from './errors.js'
import { killGroup, spawnInGroup } from './process-group.js'

export interface ProgramRun {
  readonly program: string
  readonly args: readonly string[]
  readonly stdin: string | undefined
  readonly cwd: string
  readonly env: Readonly<Record<string, string>>
  readonly uid?: number | undefined
  readonly gid?: number | undefined
  readonly timeoutMs: number
  readonly maxBytes: number
  readonly signal: AbortSignal
  readonly onErrorLine?: ((line: string) => void) | undefined
}
export interface ProgramResult {
  /** Undefined if a signal ended it. */
  readonly code: number | undefined
  readonly signal: NodeJS.Signals | undefined
  readonly stdout: Buffer
  /** The end of its stderr output. */
  readonly stderr: string
}

const graceMs = 2000
/** How long pipes may stay open after the program has ended, since a remaining child process may hold them. */
const lingerMs = 300
const keptErrors = 8000

/**
 * Runs a program in a new process group, without a shell and a terminal. Time and output are limited, and it can be
 * cancelled; each of these ends the whole group. Rejects with a `JexoError` if it cannot be started, with a `Refusal`
 * if it exceeded a limit.
 */
export function runProgram(run: ProgramRun): Promise<ProgramResult> {
  return new Promise((resolve, reject) => {
    const { program, args, cwd, env, uid, gid, timeoutMs, maxBytes, signal } = run
    let child: ReturnType<typeof spawnInGroup>
    try {
      child = spawnInGroup(program, args, { cwd, env, uid, gid })
    } catch (error) {
      return reject(commandErrors.programMissing(program, messageOf(error)))
    }
    const chunks: Buffer[] = []
    let bytes = 0
    let stderr = ''
    let refusal: Refusal | undefined
    let killer: NodeJS.Timeout | undefined
    const end = (why?: Refusal) => {
      refusal ??= why
      killGroup(child.pid, 'SIGTERM')
      killer ??= setTimeout(() => killGroup(child.pid, 'SIGKILL'), graceMs)
    }
    const timer = setTimeout(
      () => end(new Refusal(`It was stopped after ${timeoutMs} ms, the time limit.`)),
      timeoutMs,
    )
    const onAbort = () => end()
    if (signal.aborted) onAbort()
    else signal.addEventListener('abort', onAbort)
    child.stdout.on('data', (chunk: Buffer) => {
      bytes += chunk.length
      if (bytes <= maxBytes) return void chunks.push(chunk)
      end(new Refusal(`It was stopped: it wrote more than ${maxBytes} bytes. Ask for less.`))
    })
    const lines = new LineSplitter(
      64 * 1024,
      (line) => {
        stderr = `${stderr}${line}\n`.slice(-keptErrors)
        run.onErrorLine?.(line)
      },
      () => {},
    )
    // Programs overwrite their progress line, so a carriage return also ends a line.
    child.stderr.on('data', (chunk: Buffer) => lines.push(chunk.map((byte) => (byte === 13 ? 10 : byte))))
    let isSettled = false
    const settle = (code: number | null, ending: NodeJS.Signals | null) => {
      if (isSettled) return
      isSettled = true
      clearTimeout(timer)
      clearTimeout(killer)
      signal.removeEventListener('abort', onAbort)
      lines.end()
      for (const stream of [child.stdout, child.stderr]) stream.destroy()
      // Ends remaining processes of its group.
      killGroup(child.pid, 'SIGKILL')
      if (refusal) return reject(refusal)
      resolve({ code: code ?? undefined, signal: ending ?? undefined, stdout: Buffer.concat(chunks), stderr })
    }
    child.once('error', (error) => {
      clearTimeout(timer)
      signal.removeEventListener('abort', onAbort)
      reject(commandErrors.programMissing(program, (error as NodeJS.ErrnoException).code ?? error.message))
    })
    child.once('exit', (code, ending) => {
      const late = setTimeout(() => settle(code, ending), lingerMs)
      child.once('close', () => {
        clearTimeout(late)
        settle(code, ending)
      })
    })
    child.stdin.on('error', () => {})
    child.stdin.end(run.stdin ?? '')
  })
}
