import type { OnSignInStep } from './steps.js'

/** The challenge of a server that refused a request: `WWW-Authenticate` of a 401 or 403. */
export interface Challenge {
  metadataUrl?: string
  scope?: string
  error?: string
}

/** How a client gets the tokens that it sends to a server. Made by `clientCredentials`, `browserSignIn` and `deviceSignIn`. */
export interface SignIn {
  /** The current token; undefined if there is none. */
  token(server: URL): Promise<string | undefined>
  /**
   * Another token, after the server has refused one or required one. Rejects with a `JexoError` that names the failed
   * step.
   */
  renew(server: URL, challenge: Challenge, refused: string | undefined, signal?: AbortSignal): Promise<string>
  /** Called after each step. */
  onStep?: OnSignInStep
}

/** Parses the parameters of a Bearer challenge; empty if there is none. */
export function readChallenge(header: string | null): Challenge {
  const [, parameters = ''] = /(?:^|,\s*)Bearer\b([\s\S]*)$/i.exec(header?.slice(0, 10_000) ?? '') ?? []
  const found = new Map<string, string>()
  for (const [, name = '', quoted, bare] of parameters.matchAll(
    /([\w-]{1,60})\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([^\s,"]+))/g,
  ))
    if (!found.has(name.toLowerCase())) found.set(name.toLowerCase(), quoted?.replace(/\\(.)/g, '$1') ?? bare ?? '')
  const [metadataUrl, scope, error] = ['resource_metadata', 'scope', 'error'].map((name) => found.get(name))
  return {
    ...(metadataUrl === undefined ? {} : { metadataUrl }),
    ...(scope === undefined ? {} : { scope }),
    ...(error === undefined ? {} : { error }),
  }
}
