import { JexoError, listOf } from '../errors.js'

export const accessErrors = {
  issuerUnsafe: (issuer: string) =>
    new JexoError(
      'issuer-unsafe',
      `${JSON.stringify(issuer)} is not a usable issuer`,
      'give its https URL; http is for this machine only',
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
      'tokens are made for a URL, and this server does not know the one that others reach it by',
      'give --public-url (publicUrl in code)',
    ),
  tokensUnreadable: (file: string, reason: string) =>
    new JexoError(
      'tokens-unreadable',
      `it is not a valid token file (${reason})`,
      'make one with jexo token add',
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
      `it has a token for ${JSON.stringify(name)} already`,
      'remove that first, or choose another name',
      file,
    ),
  callerUnknown: (file: string, name: string, known: readonly string[]) =>
    new JexoError(
      'caller-unknown',
      `it has no token for ${JSON.stringify(name)}`,
      known.length > 0 ? `it has ${listOf(known)}` : 'it has none',
      file,
    ),
  signInNeeded: (server: string) =>
    new JexoError('sign-in-needed', 'it asks callers to sign in', `run: jexo sign-in ${server}`, server),
  signInsUnreadable: (file: string, reason: string) =>
    new JexoError(
      'sign-ins-unreadable',
      `the sign-ins that are kept cannot be read (${reason})`,
      'fix or remove the file',
      file,
    ),
  signInFailed: (server: string, step: string, reason: string, whose: string) =>
    new JexoError(
      'sign-in-failed',
      `signing in failed at the step "${step}" (${reason})`,
      `the ${whose} has to fix it, or check what it was given`,
      server,
    ),
  exchangeFailed: (audience: string, reason: string) =>
    new JexoError(
      'exchange-failed',
      `no token for ${audience} was issued (${reason})`,
      'check the client of issuerTokens and what the authorization server allows it',
    ),
}
