import { JexoError } from '../errors.js'

export const replayErrors = {
  caseUnreadable: (file: string, reason: string) =>
    new JexoError(
      'case-unreadable',
      reason,
      'write it as schemas/case.schema.json says, or record one with jexo call --save',
      file,
    ),
  caseUnwritable: (file: string, reason: string) =>
    new JexoError('case-unwritable', `it cannot be written (${reason})`, 'give the name of a new file', file),
}
