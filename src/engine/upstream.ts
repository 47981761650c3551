import { messageOf } from '../errors.js'
import type { UpstreamNotes } from '../kit/call.js'
import type { Incoming } from '../protocol/incoming.js'
import type { JsonObject } from '../protocol/messages.js'
import { type UpstreamRecord, upstreamCapability, upstreamMethod } from '../protocol/upstream.js'
import type { Feature } from './feature.js'
import type { Session } from './session.js'

/** Sends upstream records of calls to hosts that request them, if the server allows it. */
export const upstreamFeature: Feature = {
  declare: (_index, _isStateless, { showsUpstream }) =>
    showsUpstream ? { experimental: { [upstreamCapability]: {} } } : {},
  isOffered: () => false,
  requests: {},
}

/** Executes an external operation of a call, and reports it when it has ended. */
export async function upstream<T>(
  session: Session,
  incoming: Incoming,
  kind: string,
  label: string,
  run: (notes: UpstreamNotes) => T | Promise<T>,
): Promise<T> {
  const { observer } = session.running
  const isShown = isWanted(session)
  const isSpan = session.watch !== undefined && kind !== 'layer'
  if (!isShown && !observer && !isSpan) return run({})
  const sequence = (sequences.get(incoming) ?? 0) + 1
  sequences.set(incoming, sequence)
  const startedAt = new Date().toISOString()
  const began = performance.now()
  const notes: UpstreamNotes = {}
  const tell = (failure?: string) => {
    const { status = failure, bytes, detail } = notes
    const record: UpstreamRecord = {
      requestId: incoming.id,
      sequence,
      kind,
      label,
      startedAt,
      durationMs: Math.round((performance.now() - began) * 10) / 10,
      ...(status === undefined ? {} : { status }),
      ...(bytes === undefined ? {} : { bytes }),
      ...(detail === undefined ? {} : { detail }),
    }
    const shown = masked(record, session.running.mask) as JsonObject & UpstreamRecord
    // Observed as any other message to the host.
    if (isShown) incoming.notify(upstreamMethod, shown)
    else observer?.upstream(session, shown)
  }
  try {
    const carryOut = () => run(notes)
    const { watch } = session
    const result = await (isSpan && watch
      ? watch.upstream(incoming, { kind, label, notes, run: carryOut })
      : carryOut())
    tell()
    return result
  } catch (error) {
    tell(messageOf(error))
    throw error
  }
}

const isWanted = ({ running, clientCapabilities }: Session) =>
  running.showsUpstream && clientCapabilities.experimental?.[upstreamCapability] !== undefined

/** Number of external operations of each request so far. */
const sequences = new WeakMap<Incoming, number>()

/** Masks every text in a value, since a secret may be anywhere. */
function masked(value: unknown, mask: (text: string) => string): unknown {
  if (typeof value === 'string') return mask(value)
  if (Array.isArray(value)) return value.map((item) => masked(item, mask))
  if (typeof value !== 'object' || value === null) return value
  return Object.fromEntries(Object.entries(value).map(([key, item]) => [key, masked(item, mask)]))
}
