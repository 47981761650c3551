import { JexoError } from '../../errors.js'

export const sourceErrors = {
  sourceRelative: (given: string) =>
    new JexoError(
      'source-relative',
      `the relative path ${JSON.stringify(given)} depends on the folder in which a host starts the server`,
      `write new URL(${JSON.stringify(given.startsWith('.') ? given : `./${given}`)}, import.meta.url)`,
    ),
}
