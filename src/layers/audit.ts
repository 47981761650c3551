import { onNode } from '../access/on-node.js'
import { messageOf } from '../errors.js'
import { kitErrors } from '../kit/errors.js'
import { type Layer, type LayerCall, type LayerOptions, layer } from '../kit/layer.js'
import { keyOf } from '../kit/part.js'
import { isRefusal, Refusal } from '../kit/refusal.js'
import { hidden, isSecretName, maskSecrets } from '../protocol/secrets.js'
import { AuditFile } from './audit-file.js'
import { isRead, usualMethods } from './by.js'
import { positive } from './check.js'

/** An entry of the audit log. */
export interface AuditEntry {
  /** ISO 8601. */
  at: string
  method: string
  /** Kind and name of the part, such as `tool move_hive`. */
  part: string
  effect?: string
  /** Subject, issuer and client of the caller, if known. */
  who?: { subject: string; issuer?: string; clientId?: string }
  session?: string
  client?: string
  /** `begun` is written before a change, if entries must be on disk first. */
  outcome: 'begun' | 'success' | 'refused' | 'failed' | 'cancelled'
  /** In milliseconds. */
  durationMs?: number
  /** Sizes as JSON, in bytes. */
  inputBytes: number
  outputBytes?: number
  /** The input with masked secrets, if `inputs` is set. */
  input?: unknown
  /** Why it was refused or failed, with masked secrets. */
  reason?: string
}

export interface AuditOptions extends Pick<LayerOptions, 'only' | 'methods'> {
  /** A file (path or `URL`), `stderr`, or a function. Default: `stderr`. */
  to?: string | URL | ((entry: AuditEntry) => void | Promise<void>)
  /** Size at which a file is rotated, in bytes. Default: 10,000,000. */
  maxBytes?: number
  /** Number of rotated files to keep. Default: 5. */
  keep?: number
  /** Also records the input, with masked secrets. Default: false. */
  withInput?: boolean
  /** Waits until a change is on disk, before it is made and before it is answered. Default: false. */
  isDurable?: boolean
  /** Behaviour if an entry cannot be written: continue with an error in the log, or refuse calls. Default: `continue`. */
  onFailure?: 'continue' | 'refuse'
}

/**
 * Writes one line of JSON for each call: who, what, effect, outcome, duration, sizes. Put it first, so that it sees what other layers refuse. Throws a `JexoError` if
 * an option is not valid.
 *
 * @example audit({ to: new URL('./calls.audit.jsonl', import.meta.url), isDurable: true, onFailure: 'refuse' })
 */
export function audit({
  to = 'stderr',
  maxBytes = 10_000_000,
  keep = 5,
  withInput = false,
  isDurable = false,
  onFailure = 'continue',
  only,
  methods,
}: AuditOptions = {}): Layer {
  positive('audit', { maxBytes, keep })
  if (typeof to !== 'string' && typeof to !== 'function' && !(to instanceof URL))
    throw kitErrors.partField('layer "audit"', 'to', 'a file, "stderr" or a function')
  const write = writerTo(to, { maxBytes, keep })
  let reportedAt = Number.NEGATIVE_INFINITY
  /** False where it could not be written. */
  const written = async (entry: AuditEntry, mustSync: boolean): Promise<boolean> => {
    try {
      await write(entry, mustSync)
      return true
    } catch (error) {
      // At most once a minute, since a full disk must not fill the log too.
      if (Date.now() - reportedAt > 60_000)
        console.error(`jexo: error: the audit entry of ${entry.part} cannot be written: ${messageOf(error)}`)
      reportedAt = Date.now()
      return false
    }
  }
  return layer(
    'audit',
    async (call, next, note) => {
      const isChange = !isRead(call)
      const mustSync = isDurable && isChange
      const base = entryOf(call, withInput)
      const refuse = () => {
        note('refused', { reason: 'audit' })
        return new Refusal('The call cannot be recorded now, and is refused. Try again later.')
      }
      if (isChange && (mustSync || onFailure === 'refuse')) {
        const isFine = await written({ ...base, outcome: 'begun' }, mustSync)
        if (!isFine && onFailure === 'refuse') throw refuse()
      }
      const startedAt = performance.now()
      const ended = (outcome: AuditEntry['outcome'], more: Partial<AuditEntry>) =>
        written(
          { ...base, outcome, durationMs: Math.round((performance.now() - startedAt) * 10) / 10, ...more },
          mustSync,
        )
      let value: unknown
      try {
        value = await next()
      } catch (error) {
        const outcome = isRefusal(error) ? 'refused' : call.signal.aborted ? 'cancelled' : 'failed'
        await ended(outcome, { reason: maskSecrets(messageOf(error)).slice(0, 1000) })
        throw error
      }
      const isFine = await ended('success', { outputBytes: sizeOf(value) })
      if (!isFine && onFailure === 'refuse' && !isChange) throw refuse()
      return value
    },
    { ...(only ? { only } : {}), methods: methods ?? usualMethods },
  )
}

type Write = (entry: AuditEntry, mustSync: boolean) => void | Promise<void>

function writerTo(to: NonNullable<AuditOptions['to']>, limits: { maxBytes: number; keep: number }): Write {
  if (typeof to === 'function') return (entry) => to(entry)
  if (to === 'stderr') return (entry) => console.error(JSON.stringify(entry))
  let file: AuditFile | undefined
  return async (entry, mustSync) => {
    if (!file) {
      const { fileURLToPath } = await onNode<typeof import('node:url')>('node:url')
      file = new AuditFile(to instanceof URL || to.startsWith('file:') ? fileURLToPath(to) : to, limits)
    }
    await file.write(`${JSON.stringify(entry)}\n`, mustSync)
  }
}

function entryOf({ method, part, identity, session, input }: LayerCall, withInput: boolean) {
  const { subject, issuer, clientId } = identity ?? {}
  return {
    at: new Date().toISOString(),
    method,
    part: `${part.kind} ${keyOf(part)}`,
    ...(part.kind === 'tool' ? { effect: part.effect } : {}),
    ...(subject === undefined
      ? {}
      : {
          who: {
            subject,
            ...(issuer === undefined ? {} : { issuer }),
            ...(clientId === undefined ? {} : { clientId }),
          },
        }),
    ...(session.id === undefined ? {} : { session: session.id.slice(0, 8) }),
    ...(session.client ? { client: `${session.client.name} ${session.client.version}`.slice(0, 200) } : {}),
    inputBytes: sizeOf(input),
    ...(withInput ? { input: masked(input) } : {}),
  }
}

/** Size as JSON in bytes; 0 if the value has no JSON. */
function sizeOf(value: unknown): number {
  try {
    return new TextEncoder().encode(typeof value === 'string' ? value : (JSON.stringify(value) ?? '')).length
  } catch {
    return 0
  }
}

function masked(value: unknown, depth = 0): unknown {
  if (typeof value === 'string') return maskSecrets(value.slice(0, 2000))
  if (typeof value !== 'object' || value === null) return value
  if (depth > 10) return hidden
  if (Array.isArray(value)) return value.slice(0, 100).map((item) => masked(item, depth + 1))
  return Object.fromEntries(
    Object.entries(value)
      .slice(0, 100)
      .map(([name, item]) => [name, isSecretName(name) ? hidden : masked(item, depth + 1)]),
  )
}
