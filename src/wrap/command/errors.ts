import { JexoError } from '../../errors.js'

export const commandErrors = {
  unreadable: (file: string, reason: string) =>
    new JexoError('commands-unreadable', reason, 'follow schemas/commands.schema.json', file),
  programMissing: (program: string, reason: string) =>
    new JexoError(
      'command-missing',
      `the program ${JSON.stringify(program)} cannot be started (${reason})`,
      'install it, use its absolute path, or make it executable',
      undefined,
      { forCallers: 'The program behind this tool is not installed.' },
    ),
  withoutHelp: (program: string) =>
    new JexoError(
      'commands-unreadable',
      `${program} --help lists no options or subcommands that Jexo can read`,
      `write ${program}.commands.yaml by hand; the guide has an example`,
    ),
}
