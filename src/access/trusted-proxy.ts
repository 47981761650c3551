import ipaddr from 'ipaddr.js'
import type { Identity } from '../kit/call.js'
import { anyScope, isScope } from '../kit/scope.js'
import type { AccessCheck } from './check.js'

export interface TrustedProxyOptions {
  /** Addresses and ranges of the proxy, such as `127.0.0.1` and `10.1.0.0/16`. Other peers that send these headers are refused. */
  addresses: readonly string[]
  /** Header with the name of the caller. Default: `x-forwarded-user`. */
  subjectHeader?: string
  /** Header with the caller's scopes, separated by spaces or commas. Default: none; the caller can use everything that requires no scope. */
  scopesHeader?: string
  /** Headers whose values become claims, by the name of the claim. */
  claimHeaders?: Readonly<Record<string, string>>
  /** Scopes that every request requires. */
  scopes?: readonly string[]
}

/**
 * Takes the caller from headers that an authenticating proxy sets. The proxy must remove these headers from the
 * requests of clients. Throws if an address is not valid.
 *
 * @example trustedProxy({ addresses: ['127.0.0.1'], subjectHeader: 'x-auth-user', scopesHeader: 'x-auth-scopes' })
 */
export function trustedProxy(options: TrustedProxyOptions): AccessCheck {
  const { subjectHeader = 'x-forwarded-user', scopesHeader, claimHeaders = {}, scopes = [] } = options
  // One object per caller, so that values derived from it are computed once.
  const identities = new Map<string, Identity>()
  const ranges = options.addresses.map((text) => (text.includes('/') ? ipaddr.parseCIDR(text) : single(text)))
  const isProxy = (text: string | undefined): boolean => {
    if (text === undefined || !ipaddr.isValid(text)) return false
    const address = ipaddr.process(text)
    return ranges.some(([range, bits]) => range.kind() === address.kind() && address.match(range as never, bits))
  }
  return {
    authorizationServers: [],
    scopes,
    identify: ({ address, header }) => {
      if (!isProxy(address)) return { refused: 'missing', reason: 'this server is reached through its proxy' }
      const subject = header(subjectHeader)
      if (subject === undefined || subject === '')
        return { refused: 'missing', reason: 'the proxy named no caller' }
      const given = scopesHeader === undefined ? '' : (header(scopesHeader) ?? '')
      const claims = Object.entries(claimHeaders).flatMap(([claim, name]) => {
        const value = header(name)
        return value === undefined ? [] : [[claim, value] as const]
      })
      const key = JSON.stringify([subject, given, claims])
      const known = identities.get(key)
      if (known) return { identity: known }
      const identity: Identity = Object.freeze({
        subject,
        scopes: given.split(/[\s,]+/).filter((scope) => isScope(scope) && scope !== anyScope),
        claims: Object.fromEntries(claims),
      })
      if (identities.size >= mostKept) identities.clear()
      identities.set(key, identity)
      return { identity }
    },
  }
}

const mostKept = 1000

function single(text: string): [ipaddr.IPv4 | ipaddr.IPv6, number] {
  const address = ipaddr.process(text)
  return [address, address.kind() === 'ipv4' ? 32 : 128]
}
