import { JexoError } from '../errors.js'

export const cliErrors = {
  relayWithoutToken: (host: string) =>
    new JexoError(
      'public-without-access',
      `a relay on ${host} could be used by anybody who reaches it`,
      'set JEXO_TOKEN, which hosts then send as a bearer token, or listen on 127.0.0.1',
    ),
}
