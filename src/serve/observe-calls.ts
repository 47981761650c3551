import type { Observer } from '../engine/running-options.js'
import type { SessionPeer } from '../engine/session-peer.js'
import { isObject, isRequest, type Message, type RequestId } from '../protocol/messages.js'

/** A request of a host that has ended. */
export interface CallDone {
  method: string
  /** The name of a tool or prompt, or the URI of a resource, in a request. */
  name: string | undefined
  outcome: 'ok' | 'tool error' | 'error' | 'cancelled'
  /** Code of the protocol error, if there was one. */
  code?: number
  durationMs: number
  /** The beginning of its id: enough to distinguish sessions, but too little to use one. */
  session: string | undefined
}

interface Open {
  method: string
  name: string | undefined
  startedAt: number
}

/** Called for each request that has ended, for logs and metrics. Arguments and results are not recorded. */
export function observeCalls(done: (call: CallDone) => void): Observer {
  const open = new WeakMap<SessionPeer, Map<RequestId, Open>>()
  const finish = (session: SessionPeer, id: RequestId, outcome: CallDone['outcome'], code?: number) => {
    const call = open.get(session)?.get(id)
    if (!call) return
    open.get(session)?.delete(id)
    const { method, name, startedAt } = call
    const durationMs = Math.round((performance.now() - startedAt) * 10) / 10
    done({
      method,
      name,
      outcome,
      durationMs,
      session: session.sessionId?.slice(0, 8),
      ...(code === undefined ? {} : { code }),
    })
  }
  return {
    message: (session, message, from) => {
      if (from === 'client') {
        if (isRequest(message)) {
          const calls = open.get(session) ?? new Map<RequestId, Open>()
          open.set(session, calls.set(message.id, { ...nameOf(message), startedAt: performance.now() }))
        } else if ('method' in message && message.method === 'notifications/cancelled') {
          finish(session, message.params?.requestId as RequestId, 'cancelled')
        }
        return
      }
      if ('method' in message || message.id === undefined || message.id === null) return
      if ('error' in message) return finish(session, message.id, 'error', message.error.code)
      finish(session, message.id, message.result.isError === true ? 'tool error' : 'ok')
    },
    upstream: () => {},
    closed: (session) => void open.delete(session),
  }
}

/** Combines several observers. */
export function allOf(observers: readonly Observer[]): Observer | undefined {
  if (observers.length < 2) return observers[0]
  return {
    message: (...seen) => {
      for (const observer of observers) observer.message(...seen)
    },
    upstream: (...seen) => {
      for (const observer of observers) observer.upstream(...seen)
    },
    closed: (...seen) => {
      for (const observer of observers) observer.closed(...seen)
    },
  }
}

function nameOf(message: Message): { method: string; name: string | undefined } {
  const { method, params } = message as { method: string; params?: unknown }
  const { name, uri } = isObject(params) ? params : {}
  return { method, name: typeof name === 'string' ? name : typeof uri === 'string' ? uri : undefined }
}
