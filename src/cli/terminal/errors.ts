import { JexoError } from '../../errors.js'

export const cliErrors = {
  relayWithoutToken: (host: string) =>
    new JexoError(
      'public-without-access',
      `anyone who can reach ${host} could use the relay`,
      'set JEXO_TOKEN, which hosts then send as a bearer token, or listen on 127.0.0.1',
    ),
}
