import { type ChildProcessByStdio, spawn } from 'node:child_process'
import type { Readable, Writable } from 'node:stream'

export interface GroupOptions {
  readonly cwd: string
  readonly env: Readonly<Record<string, string>>
  /** User and group of the process, by number. */
  readonly uid?: number | undefined
  readonly gid?: number | undefined
}

/** Starts a program in a new process group, without a shell and a terminal. */
export const spawnInGroup = (
  program: string,
  args: readonly string[],
  { cwd, env, uid, gid }: GroupOptions,
): ChildProcessByStdio<Writable, Readable, Readable> =>
  spawn(program, [...args], {
    ...{ cwd, env, shell: false, windowsHide: true, stdio: ['pipe', 'pipe', 'pipe'] as const },
    ...(uid === undefined ? {} : { uid }),
    ...(gid === undefined ? {} : { gid }),
    detached: process.platform !== 'win32',
  }) as ChildProcessByStdio<Writable, Readable, Readable>

/** Sends a signal to a program and to all processes in its group. */
export function killGroup(pid: number | undefined, signal: NodeJS.Signals): void {
  if (pid === undefined) return
  try {
    process.kill(process.platform === 'win32' ? pid : -pid, signal)
  } catch {
    // The process has ended already.
  }
}
