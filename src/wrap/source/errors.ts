import { JexoError } from '../../errors.js'

export const sourceErrors = {
  sourceRelative: (given: string) =>
    new JexoError(
      'source-relative',
      `${JSON.stringify(given)} could be anywhere, since hosts start servers from other folders`,
      `write new URL(${JSON.stringify(given.startsWith('.') ? given : `./${given}`)}, import.meta.url)`,
    ),
}
