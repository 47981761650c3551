import type { Identity } from './call.js'

/** One caller as a key: what belongs to it is not for others. */
export const ownerOf = ({ issuer, subject }: Identity): string => `${issuer ?? ''}\n${subject}`
