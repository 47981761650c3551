import { tmpdir } from 'node:os'
import { isJexoError, messageOf } from '../errors.js'
import { stringsOf } from '../host-config/config-file.js'
import { connectOnNode } from '../transport/node-connect.js'
import type { HostEntry } from './entry.js'

export type Tried =
  | { ok: true; server: string; revision: string; tools: number; tookMs: number }
  | { ok: false; reason: string }

/** Tries an entry the way a host would: from another folder, with no environment but what the entry gives, no shell. */
export async function tryEntry(entry: HostEntry, timeoutMs = 20_000): Promise<Tried> {
  const startedAt = performance.now()
  const target =
    'url' in entry
      ? entry.url
      : { command: entry.command, args: entry.args, cwd: entry.cwd ?? tmpdir(), env: stringsOf(entry.env ?? {}) }
  const headers = 'url' in entry && entry.headers ? { headers: stringsOf(entry.headers) } : {}
  try {
    const link = await connectOnNode(target, { timeoutMs, ...headers })
    try {
      const tools = await link.tools()
      const { name, version } = link.serverInfo
      const tookMs = Math.round(performance.now() - startedAt)
      return { ok: true, server: `${name} ${version}`, revision: link.revision, tools: tools.length, tookMs }
    } finally {
      await link.close()
    }
  } catch (error) {
    return { ok: false, reason: reasonOf(error) }
  }
}

/** What is to be done is done elsewhere than here: in the kit, the entry, the environment. */
function reasonOf(error: unknown): string {
  if (!isJexoError(error)) return messageOf(error)
  return error.code === 'closed' ? error.problem : error.message
}
