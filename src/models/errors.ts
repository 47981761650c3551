import { JexoError } from '../errors.js'

export const modelsErrors = {
  modelUnusable: (url: string, reason: string) =>
    new JexoError(
      'model-unusable',
      `the model sent no usable response (${reason})`,
      'pass the URL of a chat endpoint with function calling, and set its key in JEXO_MODEL_KEY',
      url,
    ),
}
