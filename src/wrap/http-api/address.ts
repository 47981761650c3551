import { type LookupAddress, type LookupOptions, lookup } from 'node:dns'
import { isIP } from 'node:net'
import { isPrivateAddress, isPrivateHost } from '../../access/private-address.js'
import { httpApiErrors } from './errors.js'

/** Refuses a literal IP address, for which there is no lookup. */
export function checkHost(url: URL, allowPrivateNetwork: boolean): void {
  const host = url.hostname.replace(/^\[|\]$/g, '')
  if (!allowPrivateNetwork && (isIP(host) !== 0 ? isPrivateAddress(host) : isPrivateHost(host)))
    throw httpApiErrors.upstreamPrivate(url.host, host)
}

type Resolved = (error: Error | null, address: string | LookupAddress[], family?: number) => void

/**
 * Resolves a name for a connection, and refuses addresses in the private network. Done at connect time, so that no
 * later lookup can differ.
 */
export function publicLookup(hostname: string, options: LookupOptions, done: Resolved): void {
  lookup(hostname, { ...options, all: true }, (error, addresses) => {
    if (error) return done(error, '')
    const inside = addresses.find(({ address }) => isPrivateAddress(address))
    if (inside) return done(httpApiErrors.upstreamPrivate(hostname, inside.address), '')
    const [first] = addresses
    if (options.all || !first) return done(null, addresses)
    done(null, first.address, first.family)
  })
}
