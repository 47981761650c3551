import { hasOwnToken, keptSignIn } from '../../access/sign-in/kept-sign-in.js'
import { targetErrors } from '../../target/errors.js'
import { labelOf, readTarget } from '../../target/target.js'
import type { ServerTarget } from '../../wrap/server/opener.js'
import type { WrapServerOptions } from '../../wrap/server/wrap-server.js'

/** The server for a target as typed: a URL, `exec:<command line>`, or an entry of a host configuration. */
export async function serverAt(
  text: string,
  given: { headers?: Readonly<Record<string, string>>; env?: Readonly<Record<string, string>> } = {},
): Promise<{ target: ServerTarget } & Pick<WrapServerOptions, 'headers' | 'signIn'>> {
  const target = await readTarget(text, given)
  if (target.kind === 'child') {
    const { command, args, cwd, env } = target.command
    const own = Object.entries(env ?? {}).filter(
      (entry): entry is [string, string] => entry[1] !== undefined && process.env[entry[0]] !== entry[1],
    )
    return {
      target: {
        command,
        args,
        ...(cwd === undefined ? {} : { cwd }),
        ...(own.length === 0 ? {} : { env: Object.fromEntries(own) }),
      },
    }
  }
  if (target.kind !== 'url') throw targetErrors.notAServer(labelOf(target))
  const headers = { ...target.headers, ...given.headers }
  return {
    target: target.url,
    ...(Object.keys(headers).length === 0 ? {} : { headers }),
    ...(hasOwnToken(headers) ? {} : { signIn: keptSignIn() }),
  }
}

/** True for the form of a running server, or of a command that starts one. */
export const isServer = (text: string): boolean => /^(https?:\/\/|exec:)/.test(text) || /^[^#]+#[^#]+$/.test(text)
