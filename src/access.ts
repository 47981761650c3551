/**
 * Who may call over HTTP: tokens of an authorization server, of a file, or callers that a proxy names.
 * @module
 */
export { type AccessCheck, type AccessRequest, anyOf, type Verdict } from './access/check.js'
export type { ExchangeClient, ExchangeTarget } from './access/exchange.js'
export { type IntrospectedTokensOptions, introspectedTokens } from './access/introspected-tokens.js'
export { type IssuerTokensOptions, issuerTokens } from './access/issuer-tokens.js'
export { type NamedTokensOptions, namedTokens } from './access/named-tokens.js'
export { type TrustedProxyOptions, trustedProxy } from './access/trusted-proxy.js'
export { JexoError } from './errors.js'
export type { Identity } from './kit/call.js'
