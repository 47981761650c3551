import { JexoError } from '../../errors.js'

const saidOf: Readonly<Record<string, string>> = {
  'request-timed-out': 'did not respond in time',
  'response-malformed': 'sent an invalid response',
}

export const serverErrors = {
  unreachable: (label: string, reason: string, waitMs: number) =>
    new JexoError(
      'server-unreachable',
      `the wrapped server cannot be used (${reason})`,
      waitMs > 0 ? `it is tried again in ${Math.ceil(waitMs / 1000)} s` : 'check that it starts, and its address',
      label,
      { forCallers: 'The server behind this cannot be reached now; try again later.' },
    ),
  tooManySessions: (label: string, most: number) =>
    new JexoError(
      'server-sessions',
      `${most} callers have a session of the wrapped server already`,
      'raise maxSessions, or share one session with sessions: shared',
      label,
      { forCallers: 'Too many callers use the server behind this; try again later.' },
    ),
  /** The reason contains the server's stderr, which only the operator sees. */
  failed: (label: string, { code, problem }: JexoError) =>
    new JexoError('server-failed', problem, 'see what the wrapped server writes to stderr', label, {
      forCallers: `The server behind this ${saidOf[code] ?? 'ended before it responded'}.`,
    }),
}
