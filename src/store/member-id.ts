/** Letters and digits: it stands in ids of requests, streams and keys. */
export const newMemberId = (): string => crypto.randomUUID().replaceAll('-', '').slice(0, 12)
