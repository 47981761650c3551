import { JexoError } from '../../errors.js'

export const processErrors = {
  description: (program: string, reason: string) =>
    new JexoError(
      'process-description',
      `the first line that ${program} wrote is not a description of its tools: ${reason}`,
      'let it print {"version": 1, "tools": [{"name": …, "about": …, "input": {…}}]} as its first line, and flush it',
    ),
  silent: (program: string, timeoutMs: number) =>
    new JexoError(
      'process-description',
      `${program} did not print a description of its tools within ${timeoutMs} ms`,
      'let it print the description first, and flush it; raise startTimeoutMs if it loads for long',
    ),
  ended: (program: string, how: string, lastWords: string) =>
    new JexoError(
      'process-ended',
      `${program} ${how}${lastWords === '' ? '' : `; it last wrote: ${lastWords}`}`,
      'fix the program; its standard error is in the log',
      undefined,
      { forCallers: 'The program behind this tool ended before it answered. Trying again starts it anew.' },
    ),
  waiting: (program: string, waitMs: number) =>
    new JexoError(
      'process-ended',
      `${program} ended again and again, and is started again in ${Math.ceil(waitMs / 1000)} s`,
      'fix the program; its standard error is in the log',
      undefined,
      {
        forCallers: `The program behind this tool does not run now; try again in ${Math.ceil(waitMs / 1000)} s.`,
      },
    ),
}
