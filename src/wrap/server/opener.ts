import { fileURLToPath } from 'node:url'
import type { Link } from '../../link/link.js'
import type { LinkOptions } from '../../link/options.js'
import type { ChildCommand } from '../../transport/child-wire.js'
import type { ConnectOptions } from '../../transport/connect.js'
import { connectOnNode } from '../../transport/node-connect.js'
import { type ProgramWord, wordText } from '../source/program-words.js'

/** A server: the URL of its endpoint, or the command that starts it on stdio. */
export type ServerTarget =
  | string
  | URL
  | {
      readonly command: string
      /** Give files that `jexo pack` should include, such as scripts, as URLs. */
      readonly args?: readonly ProgramWord[]
      /** Working folder, such as `new URL('.', import.meta.url)`. */
      readonly cwd?: string | URL
      /** Added to this process's environment. */
      readonly env?: Readonly<Record<string, string>>
    }

export interface OpenerOptions extends Pick<LinkOptions, 'passTo' | 'views'> {
  readonly revision?: string
  readonly onStderr?: (line: string) => void
}
export type Opener = (options: OpenerOptions) => Promise<Link>

/** Opens sessions with a server. */
export const openerOf =
  (
    target: ServerTarget,
    { headers, signIn, timeoutMs }: Pick<ConnectOptions, 'headers' | 'signIn' | 'timeoutMs'>,
  ): Opener =>
  (options) => {
    const reach = {
      ...(headers ? { headers } : {}),
      ...(signIn ? { signIn } : {}),
      ...(timeoutMs === undefined ? {} : { timeoutMs }),
    }
    return connectOnNode(isAddress(target) ? target : commandOf(target), { ...reach, ...options })
  }

/** Label in errors and logs, without arguments, which may contain secrets. */
export function labelOf(target: ServerTarget): string {
  if (!isAddress(target)) return target.command.split(/[\\/]/).at(-1) ?? target.command
  const url = new URL(target)
  return `${url.host}${url.pathname}`
}

export const isAddress = (target: ServerTarget): target is string | URL =>
  typeof target === 'string' || target instanceof URL

function commandOf({ command, args = [], cwd, env }: Exclude<ServerTarget, string | URL>): ChildCommand {
  const folder = cwd instanceof URL ? fileURLToPath(cwd) : cwd
  return {
    command,
    args: args.map(wordText),
    ...(folder === undefined ? {} : { cwd: folder }),
    ...(env ? { env: { ...process.env, ...env } } : {}),
  }
}
