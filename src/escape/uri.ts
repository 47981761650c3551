/** Text as a component of a URI. Half of a character, which cannot be encoded, becomes the sign for one that is unknown. */
export const uriComponent = (text: string): string => encodeURIComponent(wellFormed(text))

/** The same with everything but the unreserved characters of RFC 3986 encoded. */
export const uriUnreserved = (text: string): string =>
  uriComponent(text).replace(/[!'()*]/g, (char) => `%${char.charCodeAt(0).toString(16).toUpperCase()}`)

/** Text with every half of a character replaced. */
export const wellFormed = (text: string): string => text.replace(/\p{Cs}/gu, '\ufffd')
