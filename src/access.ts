/**
 * Authentication over HTTP: tokens of an authorization server or a file, callers that a proxy names; and the sign-in of clients.
 * @module
 */
export { type AccessCheck, type AccessRequest, anyOf, type Verdict } from './access/check.js'
export type { ExchangeClient, ExchangeTarget } from './access/exchange.js'
export { type IntrospectedTokensOptions, introspectedTokens } from './access/introspected-tokens.js'
export { type IssuerTokensOptions, issuerTokens } from './access/issuer-tokens.js'
export { type NamedTokensOptions, namedTokens } from './access/named-tokens.js'
export { type BrowserSignInOptions, browserSignIn } from './access/sign-in/browser-sign-in.js'
export { type ClientCredentialsOptions, clientCredentials } from './access/sign-in/client-credentials.js'
export { type DeviceCode, type DeviceSignInOptions, deviceSignIn } from './access/sign-in/device-sign-in.js'
export type { PersonSignInOptions } from './access/sign-in/person-sign-in.js'
export type { SignInSide } from './access/sign-in/rules.js'
export type { Challenge, SignIn } from './access/sign-in/sign-in.js'
export type { OnSignInStep, SignInExchange, SignInStage, SignInStep } from './access/sign-in/steps.js'
export { type KeptSignIn, memoryStore, type SignInStore } from './access/sign-in/store.js'
export { type TrustedProxyOptions, trustedProxy } from './access/trusted-proxy.js'
export { JexoError } from './errors.js'
export type { Identity } from './kit/call.js'
