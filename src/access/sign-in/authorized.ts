import { readChallenge, type SignIn } from './sign-in.js'

/** How often a request is sent with another token: a server that is never content would ask for ever. */
const mostRenewals = 2

/** Sends a request with a token; where it is refused for want of one, or of a scope, again with another. */
export async function authorized(
  signIn: SignIn,
  server: URL,
  send: (headers: Record<string, string>) => Promise<Response>,
): Promise<Response> {
  let token = await signIn.token(server)
  for (let renewals = 0; ; renewals++) {
    const response = await send(token === undefined ? {} : { authorization: `Bearer ${token}` })
    const challenge = readChallenge(response.headers.get('www-authenticate'))
    const isRefused =
      response.status === 401 || (response.status === 403 && challenge.error === 'insufficient_scope')
    if (!isRefused || renewals >= mostRenewals) return response
    await response.body?.cancel().catch(() => {})
    token = await signIn.renew(server, challenge, token)
  }
}
