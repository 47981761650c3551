import ipaddr from 'ipaddr.js'

/** True for an address in the local machine or network: loopback, private, link-local and similar ranges. */
export function isPrivateAddress(address: string): boolean {
  const text = address.replace(/^\[|\]$/g, '').replace(/%.*$/, '')
  return ipaddr.isValid(text) && ipaddr.process(text).range() !== 'unicast'
}

/** True for a host name that belongs to this machine or its network. */
export function isPrivateHost(hostname: string): boolean {
  return /(^|\.)localhost\.?$/i.test(hostname) || isPrivateAddress(hostname)
}
