/** A media type without its parameters, in lower case. */
export const parse = (text: string): string => (text.split(';')[0] ?? '').trim().toLowerCase()
