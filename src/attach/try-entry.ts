import { tmpdir } from 'node:os'
import { hasOwnToken, keptSignIn } from '../access/sign-in/kept-sign-in.js'
import { isJexoError, messageOf } from '../errors.js'
import { stringsOf } from '../host-config/config-file.js'
import { connectOnNode } from '../transport/node-connect.js'
import type { HostEntry } from './entry.js'

export type Tried =
  /** `isSignedIn`: with the sign-in of the current user. */
  | { ok: true; server: string; revision: string; tools: number; tookMs: number; isSignedIn: boolean }
  /** `needsSignIn`: the server requires a sign-in, which hosts support themselves. */
  | { ok: false; reason: string; needsSignIn: boolean }

/** Tries an entry as a host would: from another folder, with only the entry's environment, without a shell. */
export async function tryEntry(entry: HostEntry, timeoutMs = 20_000): Promise<Tried> {
  const startedAt = performance.now()
  const target =
    'url' in entry
      ? entry.url
      : { command: entry.command, args: entry.args, cwd: entry.cwd ?? tmpdir(), env: stringsOf(entry.env ?? {}) }
  const headers = 'url' in entry && entry.headers ? stringsOf(entry.headers) : {}
  const signIn = 'url' in entry && !hasOwnToken(headers) ? keptSignIn() : undefined
  try {
    const link = await connectOnNode(target, { timeoutMs, headers, ...(signIn ? { signIn } : {}) })
    try {
      const tools = await link.tools()
      const { name, version } = link.serverInfo
      const tookMs = Math.round(performance.now() - startedAt)
      const isSignedIn = 'url' in entry && (await signIn?.token(new URL(entry.url))) !== undefined
      const server = `${name} ${version}`
      return { ok: true, server, revision: link.revision, tools: tools.length, tookMs, isSignedIn }
    } finally {
      await link.close()
    }
  } catch (error) {
    const needsSignIn = isJexoError(error) && error.code === 'sign-in-needed'
    return { ok: false, reason: reasonOf(error), needsSignIn }
  }
}

/** The reason, without the advice for closed connections, which does not apply here. */
function reasonOf(error: unknown): string {
  if (!isJexoError(error)) return messageOf(error)
  return error.code === 'closed' ? error.problem : error.message
}
