import { JexoError } from '../errors.js'

export const serveErrors = {
  identityForOthers: () =>
    new JexoError(
      'identity-for-others',
      '--as is for local tests: it gives all callers the same identity',
      'listen on 127.0.0.1, or use --issuer or --tokens',
    ),
  publicWithoutName: (host: string) =>
    new JexoError(
      'public-without-name',
      `other machines reach ${host} by host names, and this server refuses unknown host names`,
      'set --public-url (JEXO_PUBLIC_URL) or --allowed-host (JEXO_ALLOWED_HOSTS)',
    ),
  sshFailed: (destination: string, reason: string) =>
    new JexoError(
      'ssh-failed',
      `${destination} cannot be reached by ssh (${reason})`,
      'try ssh with the same destination; configure keys, names and ports in the ssh configuration',
    ),
}
