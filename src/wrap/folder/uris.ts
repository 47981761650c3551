/** `fieldguide://seasons/winter%20feed.md`. */
export const uriOfPath = (name: string, path: string): string =>
  `${name}://${path.split('/').map(encodeURIComponent).join('/')}`
