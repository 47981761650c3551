import { JexoError } from '../errors.js'

export const rehearseErrors = {
  questionsUnreadable: (file: string, reason: string, fix = 'follow schemas/questions.schema.json') =>
    new JexoError('questions-unreadable', reason, fix, file),
}
