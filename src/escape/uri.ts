/** Text as a component of a URI. Half of a character, which cannot be encoded, becomes the sign for one that is unknown. */
export const uriComponent = (text: string): string => encodeURIComponent(wellFormed(text))

/** Text with every half of a character replaced. */
export const wellFormed = (text: string): string => text.replace(/\p{Cs}/gu, '\ufffd')
