import type { Engine } from '../engine/engine.js'
import type { Observer } from '../engine/running-kit.js'
import type { TapeEvent } from './entry.js'

/** Records the sessions of a kit that is served: each is a target of the tape of its own, named in the order they come. */
export function recordKit(label: string, add: (target: string, event: TapeEvent) => void, prefix = 's'): Observer {
  const names = new WeakMap<Engine, string>()
  let sessions = 0
  const nameOf = (engine: Engine): string => {
    const known = names.get(engine)
    if (known) return known
    const name = `${prefix}${++sessions}`
    names.set(engine, name)
    add(name, { kind: 'state', state: 'open', text: `${label}, session ${sessions}`, label })
    return name
  }
  return {
    message: (engine, message, from) => {
      const text = JSON.stringify(message)
      add(nameOf(engine), { kind: 'message', from, message, bytes: Buffer.byteLength(text) })
    },
    upstream: (engine, record) => add(nameOf(engine), { kind: 'upstream', record }),
    closed: (engine, why) => {
      // A session that never said anything is none to tell of.
      if (names.has(engine)) add(nameOf(engine), { kind: 'state', state: 'closed', text: why, isClean: true })
    },
  }
}

/** Tells only what was done outside, to a parent that records the rest: one JSON line each. */
export function tellUpstream(write: (line: string) => void): Observer {
  return {
    message: () => {},
    upstream: (_engine, record) => write(`${JSON.stringify(record)}\n`),
    closed: () => {},
  }
}
