import { JexoError } from '../errors.js'

export const protocolErrors = {
  templateInvalid: (uriTemplate: string, reason: string) =>
    new JexoError(
      'template-invalid',
      `the URI template ${JSON.stringify(uriTemplate)} cannot be read (${reason})`,
      'follow RFC 6570, as in apiary://hives/{hive}',
    ),
  requestTimedOut: (method: string, timeoutMs: number) =>
    new JexoError(
      'request-timed-out',
      `no response to ${method} within ${timeoutMs} ms`,
      'raise --timeout (timeoutMs in code), or check why the other side is slow',
      undefined,
      { forCallers: 'The host did not respond in time.' },
    ),
  closed: (why: string) =>
    new JexoError('closed', `the connection is closed (${why})`, 'reconnect', undefined, {
      forCallers: 'The connection was closed.',
      data: { reason: why },
    }),
  responseMalformed: (method: string, reason: string, cause?: unknown) =>
    new JexoError(
      'response-malformed',
      `the response to ${method} is invalid (${reason})`,
      'fix the program that sent it',
      undefined,
      { cause },
    ),
}
