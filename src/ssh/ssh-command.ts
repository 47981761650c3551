import { parse } from 'shell-quote'

/**
 * The system's ssh, or the command line in `JEXO_SSH`, such as `ssh -F config`. Without a terminal it asks no
 * questions.
 */
export function sshCommand(): { command: string; args: string[] } {
  const words = parse(process.env.JEXO_SSH || 'ssh').filter((word) => typeof word === 'string')
  const [command = 'ssh', ...args] = words
  return { command, args: process.stdin.isTTY ? args : [...args, '-o', 'BatchMode=yes'] }
}
