import { JexoError } from '../errors.js'

export const rehearseErrors = {
  questionsUnreadable: (file: string, reason: string) =>
    new JexoError('questions-unreadable', reason, 'write it as schemas/questions.schema.json says', file),
}
