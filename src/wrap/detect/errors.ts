import { JexoError } from '../../errors.js'

export const detectErrors = {
  sourceUnknownKind: (source: string, kinds: readonly string[]) =>
    new JexoError(
      'source-unknown-kind',
      `cannot infer the source type of ${JSON.stringify(source)}`,
      `set it with --kind: ${kinds.join(', ')}`,
    ),
}
