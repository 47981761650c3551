import { accessErrors } from '../errors.js'
import { signInRules } from './rules.js'
import { type Challenge, readChallenge, type SignIn } from './sign-in.js'
import { SignInTrace } from './steps.js'

/** How often a request is sent with another token, since a server could refuse every one. */
const mostRenewals = 2

export interface AuthorizedOptions {
  /** True if the request was cancelled. */
  signal?: AbortSignal | undefined
  /** Called before and after a sign-in in which the user may take part. */
  onWait?: ((isWaiting: boolean) => void) | undefined
}

/** Sends a request with a token. If it is refused for a missing token or scope, sends it again with another token. */
export async function authorized(
  signIn: SignIn,
  server: URL,
  send: (headers: Record<string, string>) => Promise<Response>,
  { signal, onWait = () => {} }: AuthorizedOptions = {},
): Promise<Response> {
  const trace = new SignInTrace(signIn.onStep)
  let token = await signIn.token(server)
  for (let renewals = 0; ; renewals++) {
    const response = await send(token === undefined ? {} : { authorization: `Bearer ${token}` })
    const challenge = readChallenge(response.headers.get('www-authenticate'))
    const isRefused =
      response.status === 401 || (response.status === 403 && challenge.error === 'insufficient_scope')
    const isLast = !isRefused || renewals >= mostRenewals
    if (renewals > 0 && isLast) noteRetry(trace, server, response.status, isRefused)
    if (isLast) return response
    await response.body?.cancel().catch(() => {})
    trace.note('challenge', challengeText(response.status, challenge))
    onWait(true)
    try {
      token = await signIn.renew(server, challenge, token, signal)
    } finally {
      onWait(false)
    }
  }
}

function noteRetry(trace: SignInTrace, server: URL, status: number, isRefused: boolean): void {
  if (!isRefused) return trace.note('retry', `the server accepted the token (HTTP ${status})`)
  const reason = `the server refuses the token that was issued for it (HTTP ${status})`
  trace.failed('retry', accessErrors.signInFailed(server.href, 'retry', reason, signInRules.accepted))
}

function challengeText(status: number, { metadataUrl, scope, error }: Challenge): string {
  const parts = [
    ...(error === undefined ? [] : [`error ${error}`]),
    ...(scope === undefined ? [] : [`scope ${scope}`]),
    metadataUrl === undefined ? 'no resource_metadata' : `metadata at ${metadataUrl}`,
  ]
  return `HTTP ${status}: ${parts.join(', ')}`
}
