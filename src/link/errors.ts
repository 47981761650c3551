import { JexoError } from '../errors.js'

export const linkErrors = {
  connectFailed: (target: string, reason: string, cause?: unknown) =>
    new JexoError(
      'connect-failed',
      `no connection (${reason})`,
      'check that it runs and that the address is right',
      target,
      { cause },
    ),
  sessionEnded: (where: string) =>
    new JexoError(
      'session-ended',
      'the server had ended the session, and a new session was opened; the call was not repeated, because it may change something',
      'check whether the call was executed, and repeat it if not',
      where,
    ),
  revisionRefused: (offered: string, known: readonly string[]) =>
    new JexoError(
      'revision-refused',
      `the server uses protocol revision ${JSON.stringify(offered)}`,
      `this client supports ${known.join(', ')}; use a server that supports one of them`,
    ),
}
