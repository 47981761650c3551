import { JexoError } from '../../errors.js'

export const searchErrors = {
  embeddingsFailed: (where: string, reason: string) =>
    new JexoError(
      'embeddings-failed',
      `the endpoint returned no vectors (${reason})`,
      'check the address, the model and the key',
      where,
      { forCallers: 'The search is not available now; try again later.' },
    ),
}
