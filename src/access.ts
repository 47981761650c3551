/**
 * Who may call over HTTP: tokens of an authorization server, of a file, or callers that a proxy names; and how clients sign in.
 * @module
 */
export { type AccessCheck, type AccessRequest, anyOf, type Verdict } from './access/check.js'
export type { ExchangeClient, ExchangeTarget } from './access/exchange.js'
export { type IntrospectedTokensOptions, introspectedTokens } from './access/introspected-tokens.js'
export { type IssuerTokensOptions, issuerTokens } from './access/issuer-tokens.js'
export { type NamedTokensOptions, namedTokens } from './access/named-tokens.js'
export { type BrowserSignInOptions, browserSignIn } from './access/sign-in/browser-sign-in.js'
export { type ClientCredentialsOptions, clientCredentials } from './access/sign-in/client-credentials.js'
export type { Challenge, SignIn } from './access/sign-in/sign-in.js'
export { type KeptSignIn, memoryStore, type SignInStore } from './access/sign-in/store.js'
export { type TrustedProxyOptions, trustedProxy } from './access/trusted-proxy.js'
export { JexoError } from './errors.js'
export type { Identity } from './kit/call.js'
