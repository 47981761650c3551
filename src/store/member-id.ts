/** Letters and digits only, since it is part of ids and keys. */
export const newMemberId = (): string => crypto.randomUUID().replaceAll('-', '').slice(0, 12)
