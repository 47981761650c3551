import { type AccessCheck, anyOf, staticToken } from '../access/check.js'
import type { ExchangeClient } from '../access/exchange.js'
import { scopesIn } from '../access/scopes.js'
import type { Identity } from '../kit/call.js'
import { kitErrors } from '../kit/errors.js'
import { isObject } from '../protocol/messages.js'

/** The access options of a command line or of the environment. */
export interface AccessChoice {
  issuer: string | undefined
  audience: string | undefined
  /** This server's credentials at the issuer, for token exchange. */
  client: ExchangeClient | undefined
  scopes: readonly string[]
  tokens: string | undefined
}

/** The chosen check, combined with the static token; undefined if neither is set. Loads only the chosen check. */
export async function accessOf(
  { issuer, audience, client, scopes, tokens }: AccessChoice,
  token: string | undefined,
  onProblem: (message: string) => void,
): Promise<AccessCheck | undefined> {
  const checks: AccessCheck[] = token ? [staticToken(token)] : []
  if (tokens !== undefined) {
    const { namedTokens } = await import('../access/named-tokens.js')
    checks.push(namedTokens(tokens, { scopes, onProblem }))
  }
  if (issuer !== undefined) {
    const { issuerTokens } = await import('../access/issuer-tokens.js')
    checks.push(
      issuerTokens({
        issuer,
        scopes,
        ...(audience === undefined ? {} : { audience }),
        ...(client ? { client } : {}),
      }),
    )
  }
  return checks.length > 1 ? anyOf(...checks) : checks[0]
}

/** Accepts every caller as one identity, for trying out. */
export const everybodyIs = (identity: Identity): AccessCheck => ({
  authorizationServers: [],
  scopes: [],
  identify: () => ({ identity }),
})

/** Parses the value of `--as`. */
export function readIdentity(text: string): Identity {
  let value: unknown
  try {
    value = JSON.parse(text)
  } catch {
    value = undefined
  }
  if (!isObject(value) || typeof value.subject !== 'string')
    throw kitErrors.argumentUnreadable('--as', 'JSON such as {"subject":"ada","scopes":["hives.read"],"claims":{}}')
  const { subject, issuer, clientId, scopes, claims } = value
  return {
    subject,
    ...(typeof issuer === 'string' ? { issuer } : {}),
    ...(typeof clientId === 'string' ? { clientId } : {}),
    scopes: scopesIn({ scope: scopes }),
    claims: isObject(claims) ? claims : {},
  }
}
