import { spawn } from 'node:child_process'

/**
 * Lets a second Ctrl-C end this process on a terminal, even if code blocks the thread and signal handlers cannot run: a small shell receives Ctrl-C as well and ends the process. Elsewhere, and where there is no such shell, it does nothing.
 */
export function endBySecondInterrupt(): void {
  if (!process.stdin.isTTY || process.platform === 'win32') return
  const { pid } = process
  const script = `n=0; trap 'n=$((n+1)); if [ $n -ge 2 ]; then sleep 1; kill -9 ${pid} 2>/dev/null; exit; fi' INT
    while kill -0 ${pid} 2>/dev/null; do sleep 1 & wait $!; done`
  const shell = spawn('/bin/sh', ['-c', script], { stdio: 'ignore' })
  shell.on('error', () => {})
  shell.unref()
  process.once('exit', () => shell.kill('SIGKILL'))
}
