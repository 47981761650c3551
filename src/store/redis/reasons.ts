import { messageOf } from '../../errors.js'

/** Codes of connection errors and of Redis errors as text. */
export function reasonOf(error: unknown): string {
  const { code } = error as { code?: string }
  const message = messageOf(error)
  if (code === 'ECONNREFUSED') return 'no server responds there'
  if (code === 'ENOTFOUND' || code === 'EAI_AGAIN') return 'its host name is not known'
  if (code === 'ETIMEDOUT' || /timed? ?out/i.test(message)) return 'it did not respond in time'
  if (/^OOM /.test(message)) return 'it is full (maxmemory)'
  if (/^(WRONGPASS|NOAUTH)/.test(message)) return 'it refuses the password'
  if (/WRONGTYPE/.test(message)) return 'a key of this server has another type; choose another prefix'
  if (/isn't writeable|max retries|connection is closed/i.test(message)) return 'the connection was lost'
  return message.split('\n')[0]?.slice(0, 200) ?? 'unknown'
}
