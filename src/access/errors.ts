import { JexoError, listOf } from '../errors.js'
import type { SignInRule } from './sign-in/rules.js'

export const accessErrors = {
  issuerUnsafe: (issuer: string) =>
    new JexoError(
      'issuer-unsafe',
      `${JSON.stringify(issuer)} is not a valid issuer`,
      'use its https URL; http is allowed on this machine only',
    ),
  algorithmUnsafe: (name: string, known: readonly string[]) =>
    new JexoError(
      'algorithm-unsafe',
      `tokens signed with ${name} cannot be accepted`,
      `choose from ${listOf(known)}`,
    ),
  accessWithoutUrl: () =>
    new JexoError(
      'access-without-url',
      'tokens are issued for a URL, and the public URL of this server is not set',
      'set --public-url (publicUrl in code)',
    ),
  tokensUnreadable: (file: string, reason: string) =>
    new JexoError(
      'tokens-unreadable',
      `it is not a valid token file (${reason})`,
      'create one with jexo token add',
      file,
    ),
  tokensUnwritable: (file: string, reason: string) =>
    new JexoError('tokens-unwritable', `it cannot be written (${reason})`, 'choose another file with --file', file),
  callerName: (name: string) =>
    new JexoError(
      'caller-name',
      `${JSON.stringify(name)} is not a valid name of a caller`,
      'use letters, digits, dots, dashes and @, at most 100',
    ),
  callerTaken: (file: string, name: string) =>
    new JexoError(
      'caller-taken',
      `it already has a token for ${JSON.stringify(name)}`,
      'remove that token first, or choose another name',
      file,
    ),
  callerUnknown: (file: string, name: string, known: readonly string[]) =>
    new JexoError(
      'caller-unknown',
      `it has no token for ${JSON.stringify(name)}`,
      known.length > 0 ? `it has ${listOf(known)}` : 'it has none',
      file,
    ),
  signInNeeded: (server: string, scopes: readonly string[] = []) =>
    scopes.length === 0
      ? new JexoError(
          'sign-in-needed',
          'the server requires callers to sign in',
          `run: jexo sign-in ${server}`,
          server,
        )
      : new JexoError(
          'sign-in-needed',
          `the call needs more scopes than the sign-in has: ${listOf(scopes)}`,
          `run: jexo sign-in ${server} --scopes ${scopes.join(',')}`,
          server,
          { data: { scopes } },
        ),
  tokenNeeded: (server: string, offersNoSignIn = false) =>
    new JexoError(
      'sign-in-needed',
      offersNoSignIn
        ? 'HTTP 401: the server requires a token, and offers no sign-in'
        : 'HTTP 401: the server requires a token',
      `pass it as a header, "Authorization: Bearer …"${offersNoSignIn ? '' : `, or sign in: jexo sign-in ${server}`}`,
      server,
    ),
  signInsUnreadable: (file: string, reason: string) =>
    new JexoError(
      'sign-ins-unreadable',
      `the stored sign-ins cannot be read (${reason})`,
      'fix or remove the file',
      file,
    ),
  signInFailed: (server: string, stage: string, reason: string, rule: SignInRule) =>
    new JexoError(
      'sign-in-failed',
      `signing in failed at the step "${stage}" (${reason})`,
      `${fixes[rule.side]}; for every step: jexo sign-in --explain ${server}`,
      server,
      { data: { stage, reason, rule: rule.text, fixedBy: rule.side } },
    ),
  exchangeFailed: (audience: string, reason: string) =>
    new JexoError(
      'exchange-failed',
      `no token for ${audience} was issued (${reason})`,
      'check the client of issuerTokens, and its permissions at the authorization server',
    ),
}

const fixes = {
  server: 'the server has to fix it',
  'authorization server': 'the authorization server has to fix it',
  client: 'check the client id, its secret and its registration',
  person: 'sign in again, as somebody who has the right',
} as const
