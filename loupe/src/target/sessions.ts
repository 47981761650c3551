import type { Line } from '../../../src/score/line.js'

/** The requests of one session and their results. */
export interface Session {
  target: string
  host: string | undefined
  server: string | undefined
  revision: string | undefined
  isOpen: boolean
  calls: Call[]
}
export interface Call {
  asked: string
  times: number
  faults: number
  slowestMs: number
}
type Init = {
  method?: string
  params?: { clientInfo?: { name?: string; version?: string } }
  result?: { serverInfo?: { name?: string; version?: string }; protocolVersion?: string }
}

/** Sums up sessions from their score: the sides, the requests, their number and their results. */
export function sessionsOf(lines: readonly Line[]): Session[] {
  const sessions = new Map<string, Session & { byName: Map<string, Call> }>()
  const open = new Map<number, Call>()
  for (const line of lines) {
    const session = sessions.get(line.target) ?? newSession(line.target)
    sessions.set(line.target, session)
    if (line.entry.kind === 'state') session.isOpen = line.entry.state !== 'closed'
    if (line.entry.kind !== 'message') continue
    const message = line.entry.message as Init
    if (message.method === 'initialize') session.host = nameOf(message.params?.clientInfo)
    if (message.result?.serverInfo) {
      session.server = nameOf(message.result.serverInfo)
      session.revision = message.result.protocolVersion
    }
    if (line.shape === 'call' && line.from === 'host') {
      const call = session.byName.get(line.title) ?? { asked: line.title, times: 0, faults: 0, slowestMs: 0 }
      session.byName.set(line.title, call)
      call.times++
      open.set(line.sequence, call)
    }
    const call = line.of === undefined ? undefined : open.get(line.of)
    if (call && line.shape === 'result') {
      call.slowestMs = Math.max(call.slowestMs, line.tookMs ?? 0)
      if (line.isFault) call.faults++
    }
  }
  return [...sessions.values()].map(({ byName, ...session }) => ({
    ...session,
    // Tool calls come first; lists and pings come last.
    calls: [...byName.values()].sort((a, b) => rank(a) - rank(b) || b.times - a.times),
  }))
}

const newSession = (target: string) => ({
  target,
  host: undefined,
  server: undefined,
  revision: undefined,
  isOpen: true,
  calls: [],
  byName: new Map<string, Call>(),
})
const nameOf = (info: { name?: string; version?: string } | undefined) =>
  info && `${info.name} ${info.version ?? ''}`.trim()
const rank = ({ asked }: Call) => (/^(tools\/call|resources\/read|prompts\/get) /.test(asked) ? 0 : 1)
