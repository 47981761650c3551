import { JexoError } from '../../errors.js'

export const processErrors = {
  description: (program: string, reason: string) =>
    new JexoError(
      'process-description',
      `the first line of output of ${program} is not a description of its tools: ${reason}`,
      'print {"version": 1, "tools": [{"name": …, "about": …, "input": {…}}]} as the first line, and flush it',
    ),
  silent: (program: string, timeoutMs: number) =>
    new JexoError(
      'process-description',
      `${program} did not print a description of its tools within ${timeoutMs} ms`,
      'print the description first and flush it, or raise startTimeoutMs if the program needs longer to load',
    ),
  ended: (program: string, how: string, lastWords: string) =>
    new JexoError(
      'process-ended',
      `${program} ${how}${lastWords === '' ? '' : `; its last output was: ${lastWords}`}`,
      'fix the program; the log contains its standard error',
      undefined,
      { forCallers: 'The program behind this tool ended before it answered. Try again; Jexo restarts it.' },
    ),
  waiting: (program: string, waitMs: number) =>
    new JexoError(
      'process-ended',
      `${program} ended soon after each start; Jexo restarts it in ${Math.ceil(waitMs / 1000)} s`,
      'fix the program; the log contains its standard error',
      undefined,
      {
        forCallers: `The program behind this tool is not running; try again in ${Math.ceil(waitMs / 1000)} s.`,
      },
    ),
}
