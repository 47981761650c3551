import { JexoError } from '../../errors.js'

export const commandErrors = {
  unreadable: (file: string, reason: string) =>
    new JexoError('commands-unreadable', reason, 'write it as schemas/commands.schema.json says', file),
  programMissing: (program: string, reason: string) =>
    new JexoError(
      'command-missing',
      `the program ${JSON.stringify(program)} cannot be started (${reason})`,
      'install it, or give its absolute path',
      undefined,
      { forCallers: 'The program behind this tool is not installed.' },
    ),
  withoutHelp: (program: string) =>
    new JexoError(
      'commands-unreadable',
      `${program} --help names no options and no subcommands that could be read`,
      `write ${program}.commands.yaml by hand; the guide has an example`,
    ),
}
