import type { Observer } from '../engine/running-options.js'
import type { SessionPeer } from '../engine/session-peer.js'
import type { TapeEvent } from './entry.js'

/** Records the sessions of a served kit. Each session is a separate target of the tape, numbered in order. */
export function recordKit(label: string, add: (target: string, event: TapeEvent) => void, prefix = 's'): Observer {
  const names = new WeakMap<SessionPeer, string>()
  let sessions = 0
  const nameOf = (session: SessionPeer): string => {
    const known = names.get(session)
    if (known) return known
    const name = `${prefix}${++sessions}`
    names.set(session, name)
    add(name, { kind: 'state', state: 'open', text: `${label}, session ${sessions}`, label })
    return name
  }
  return {
    message: (session, message, from) => {
      const text = JSON.stringify(message)
      add(nameOf(session), { kind: 'message', from, message, bytes: Buffer.byteLength(text) })
    },
    upstream: (session, record) => add(nameOf(session), { kind: 'upstream', record }),
    closed: (session, why) => {
      // Sessions without any message are not recorded.
      if (names.has(session)) add(nameOf(session), { kind: 'state', state: 'closed', text: why, isClean: true })
    },
  }
}

/** Sends only upstream records to a parent process, which records the rest: one JSON line each. */
export function tellUpstream(write: (line: string) => void): Observer {
  return {
    message: () => {},
    upstream: (_engine, record) => write(`${JSON.stringify(record)}\n`),
    closed: () => {},
  }
}
