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
      waitMs > 0
        ? `Jexo tries again in ${Math.ceil(waitMs / 1000)} s`
        : 'check that it starts, and check its address',
      label,
      { forCallers: 'The wrapped server cannot be reached now; try again later.' },
    ),
  tooManySessions: (label: string, most: number) =>
    new JexoError(
      'server-sessions',
      `${most} callers already have a session of the wrapped server`,
      'raise maxSessions, or share one session with sessions: shared',
      label,
      { forCallers: 'Too many callers use the wrapped server; try again later.' },
    ),
  /** The reason contains the server's stderr, which only the operator sees. */
  failed: (label: string, { code, problem }: JexoError) =>
    new JexoError('server-failed', problem, 'read the stderr output of the wrapped server in the log', label, {
      forCallers: `The wrapped server ${saidOf[code] ?? 'ended before it responded'}.`,
    }),
}
