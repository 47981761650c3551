import { JexoError } from '../errors.js'

export const transportErrors = {
  targetUnknown: (target: string) =>
    new JexoError(
      'target-unknown',
      `${JSON.stringify(target)} is not a target`,
      'use a kit file, an http:// URL, exec:<command line>, or <host config file>#<entry>',
    ),
  childEnded: (command: string, reason: string) =>
    new JexoError('child-ended', `the server ended (${reason})`, 'see its output on stderr', command),
  responseTooLong: (maxBytes: number) =>
    new JexoError(
      'response-malformed',
      `the server sent more than ${maxBytes} bytes in one message`,
      'check the server',
    ),
  redirected: (url: string, target: string | undefined) =>
    new JexoError(
      'connect-failed',
      `${url} redirects to ${target ?? 'an address that cannot be read'}, which is not followed`,
      'if you trust that address, use it directly',
    ),
  portTaken: (host: string, port: number) =>
    new JexoError(
      'port-taken',
      `${host}:${port} is in use`,
      'stop the program that uses it, or choose another port',
    ),
  publicWithoutAccess: (host: string) =>
    new JexoError(
      'public-without-access',
      `${host} can be reached from other machines and requires no authentication`,
      'set JEXO_TOKEN to a secret that callers must send, use --issuer or --tokens, or pass --open-to-anyone',
    ),
}
