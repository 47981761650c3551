/** A text as a component of a URI. Unpaired surrogates, which cannot be encoded, become the replacement character. */
export const uriComponent = (text: string): string => encodeURIComponent(wellFormed(text))

/** The same with everything but the unreserved characters of RFC 3986 encoded. */
export const uriUnreserved = (text: string): string =>
  uriComponent(text).replace(/[!'()*]/g, (char) => `%${char.charCodeAt(0).toString(16).toUpperCase()}`)

/** A text with unpaired surrogates replaced. */
export const wellFormed = (text: string): string => text.replace(/\p{Cs}/gu, '\ufffd')
