import { type ChildProcess, spawn } from 'node:child_process'
import { messageOf } from '../errors.js'
import { sshCommand } from '../ssh/ssh-command.js'
import { serveErrors } from './errors.js'
import type { Log } from './log.js'

export interface SshTunnel {
  /** `[user@]host` or `ssh://[user@]host[:port]`, as in the arguments of ssh. */
  destination: string
  /** Remote address to listen on, `[address:]port`. Default: the server's port on the loopback address. */
  remote?: string | undefined
}

const mark = 'jexo-ssh-tunnel'
const longestPauseMs = 30_000

/**
 * Makes a port of this machine reachable on another machine by a reverse forward of the system's ssh. Rejects if the
 * first attempt fails; a lost forward is opened again. Returns a function that ends it.
 */
export async function openSshTunnel(
  { destination, remote }: SshTunnel,
  port: number,
  log: Log,
): Promise<() => void> {
  const forward = `${remote ?? port}:127.0.0.1:${port}`
  let isStopped = false
  let child: ChildProcess | undefined
  let timer: NodeJS.Timeout | undefined
  let pauseMs = 1000
  const open = async (): Promise<void> => {
    const opened = openOnce(destination, forward)
    child = opened.child
    await opened.isUp
    pauseMs = 1000
    void opened.ended.then((reason) => {
      if (isStopped) return
      log.write('warning', `the ssh tunnel to ${destination} was lost (${reason}); reconnecting`)
      again()
    })
  }
  const again = () => {
    timer = setTimeout(() => {
      open().then(
        () => log.write('info', `the ssh tunnel to ${destination} is open again`),
        (error) => {
          if (isStopped) return
          pauseMs = Math.min(pauseMs * 2, longestPauseMs)
          log.write('warning', messageOf(error))
          again()
        },
      )
    }, pauseMs)
  }
  await open()
  return () => {
    isStopped = true
    clearTimeout(timer)
    child?.kill()
  }
}

function openOnce(destination: string, forward: string) {
  const { command, args } = sshCommand()
  const options = ['ExitOnForwardFailure=yes', 'ServerAliveInterval=15', 'ServerAliveCountMax=3']
  // The remote side reports when it is ready, and ends with this process.
  const child = spawn(
    command,
    [
      ...args,
      '-T',
      ...options.flatMap((option) => ['-o', option]),
      ...['-R', forward, '--', destination, `echo ${mark}; exec cat >/dev/null`],
    ],
    { stdio: ['pipe', 'pipe', 'pipe'] },
  )
  let said = ''
  child.stderr.on('data', (chunk) => {
    said = `${said}${chunk}`.slice(-2000)
  })
  child.stdin.on('error', () => {})
  const ended = new Promise<string>((resolve) => {
    child.once('error', (error) => resolve(error.message))
    child.once('close', (code) => resolve(said.trim().split('\n').at(-1) || `ssh ended with code ${code}`))
  })
  const isUp = new Promise<void>((resolve, reject) => {
    child.stdout.on('data', (chunk) => String(chunk).includes(mark) && resolve())
    void ended.then((reason) => reject(serveErrors.sshFailed(destination, reason)))
  })
  return { child, isUp, ended }
}
