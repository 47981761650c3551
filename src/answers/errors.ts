import { JexoError } from '../errors.js'

export const answersErrors = {
  answersUnreadable: (file: string, reason: string) =>
    new JexoError(
      'answers-unreadable',
      `it is not a valid answers file (${reason})`,
      'pass accept, decline, cancel, or a file with "version: 1" and "answers"',
      file,
    ),
}
