import { JexoError } from '../../errors.js'

export const httpApiErrors = {
  upstreamPrivate: (host: string, address: string) =>
    new JexoError(
      'upstream-private',
      `${host} ${host === address ? 'is' : `resolves to ${address},`} an address in a private network, but the API is public`,
      'if that is intended, set allowPrivateNetwork: true',
      undefined,
      { forCallers: 'The API is at an address that this server does not call. Trying again will not help.' },
    ),
  upstreamTimedOut: (host: string, timeoutMs: number) =>
    new JexoError(
      'upstream-timed-out',
      `${host} did not respond within ${timeoutMs} ms`,
      'try again later; the limit is JEXO_UPSTREAM_TIMEOUT_MS',
      undefined,
      { forCallers: 'The API did not respond in time; try again later.' },
    ),
  upstreamRedirect: (from: string, to: string, reason: string) =>
    new JexoError(
      'upstream-redirect',
      `${from} redirects to ${to}, and ${reason}`,
      'if that is intended, add the host to allowedHosts',
      undefined,
      { forCallers: 'The API redirects to an address that this server does not call. Trying again will not help.' },
    ),
  upstreamToken: (url: string, status: number, settings: readonly string[]) =>
    new JexoError(
      'upstream-token',
      `${url} returned no token (status ${status}) for the values of ${settings.join(' and ')}`,
      'check these settings and the scopes',
    ),
  upstreamBody: (method: string) =>
    new JexoError(
      'upstream-body',
      `a ${method} request with a body is not supported in-process`,
      'use another method',
    ),
  upstreamUrl: (setting: string, given: string) =>
    new JexoError(
      'upstream-url',
      `${setting} is ${given === '' ? 'not set' : `${JSON.stringify(given)}, which is not an http:// or https:// URL`}`,
      'set it to the base URL of the API, such as https://api.example/v1',
    ),
}
