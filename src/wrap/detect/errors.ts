import { JexoError } from '../../errors.js'

export const detectErrors = {
  sourceUnknownKind: (source: string, kinds: readonly string[]) =>
    new JexoError(
      'source-unknown-kind',
      `what ${JSON.stringify(source)} is cannot be told from its name`,
      `set it with --kind: ${kinds.join(', ')}`,
    ),
}
