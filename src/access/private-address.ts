import ipaddr from 'ipaddr.js'

/** True for an address that only this machine or its network reaches: loopback, private, link-local and their kin. */
export function isPrivateAddress(address: string): boolean {
  const text = address.replace(/^\[|\]$/g, '').replace(/%.*$/, '')
  return ipaddr.isValid(text) && ipaddr.process(text).range() !== 'unicast'
}

/** True for a host that says by its name that it is on this machine or in its network. */
export function isPrivateHost(hostname: string): boolean {
  return /(^|\.)localhost\.?$/i.test(hostname) || isPrivateAddress(hostname)
}
