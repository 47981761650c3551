import { JexoError } from '../errors.js'

export const replayErrors = {
  caseUnreadable: (file: string, reason: string) =>
    new JexoError(
      'case-unreadable',
      reason,
      'follow schemas/case.schema.json, or record a case with jexo call --save',
      file,
    ),
  caseUnwritable: (file: string, reason: string) =>
    new JexoError('case-unwritable', `it cannot be written (${reason})`, 'choose the name of a new file', file),
}
