import { spawn } from 'node:child_process'
import { resolve } from 'node:path'
import { quote } from 'shell-quote'
import { serveErrors } from '../serve/errors.js'
import { sshCommand } from '../ssh/ssh-command.js'
import { LineSplitter } from '../transport/line-splitter.js'
import { shipErrors } from './errors.js'

/** The folder of a deployment, on this machine or on one that ssh reaches. */
export interface DeployLocation {
  folder: string
  /** `[user@]host`; undefined for this machine. */
  destination: string | undefined
}

/**
 * Parses `--to`: a folder, or `[user@]host:folder` as in ssh, relative to the home folder there. A drive letter is not
 * a host.
 */
export function readLocation(text: string): DeployLocation {
  const found = /^([^:/\\]{2,}):(.+)$/.exec(text)
  if (found?.[1] !== undefined && found[2] !== undefined)
    return { destination: found[1], folder: found[2].replace(/^~\//, '') }
  return { destination: undefined, folder: resolve(text) }
}

export const locationLabel = ({ destination, folder }: DeployLocation): string =>
  destination === undefined ? folder : `${destination}:${folder}`

/** Writes a file there atomically; creates the folder first. */
export async function putFile(location: DeployLocation, name: string, content: Uint8Array): Promise<void> {
  const { folder } = location
  const program = `mkdir -p -- ${quote([folder])} && cd -- ${quote([folder])} && cat > ${name}.draft && mv ${name}.draft ${name}`
  await runShell(location, program, content, () => {})
}

/** Runs a script in the folder of the deployment with its Node; `hear` is called with each line of output. */
export async function runThere(
  location: DeployLocation,
  node: string,
  words: readonly string[],
  input: Uint8Array,
  hear: (line: string) => void,
): Promise<void> {
  const program = `cd -- ${quote([location.folder])} && exec ${quote([node, ...words])}`
  await runShell(location, program, input, hear)
}

/**
 * Runs a command line of the POSIX shell, here or remotely. Rejects with a `JexoError` that contains its error output.
 */
function runShell(
  { destination }: DeployLocation,
  program: string,
  input: Uint8Array,
  hear: (line: string) => void,
): Promise<void> {
  const { command, args } = sshCommand()
  const child =
    destination === undefined
      ? spawn('/bin/sh', ['-c', program], { stdio: 'pipe' })
      : spawn(command, [...args, '-T', '--', destination, program], { stdio: 'pipe' })
  const lines = new LineSplitter(16 * 1024 * 1024, hear, () => {})
  let complaint = ''
  child.stdout.on('data', (chunk: Buffer) => lines.push(chunk))
  child.stderr.on('data', (chunk) => {
    complaint = `${complaint}${chunk}`.slice(-2000)
  })
  child.stdin.on('error', () => {})
  child.stdin.end(input)
  return new Promise((done, reject) => {
    const failed = (reason: string) =>
      reject(
        destination === undefined
          ? shipErrors.deployFolderUnusable(reason)
          : serveErrors.sshFailed(destination, reason),
      )
    child.once('error', (error) => failed(error.message))
    child.once('close', (code) => {
      lines.end()
      // The script has reported its own refusals already.
      if (code === 0 || code === 1) return done()
      if (code === 127) return reject(shipErrors.remoteNodeMissing(complaint.trim().split('\n').at(-1) ?? ''))
      failed(complaint.trim().split('\n').at(-1) || `it ended with code ${code}`)
    })
  })
}
