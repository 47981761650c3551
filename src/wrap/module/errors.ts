import { JexoError } from '../../errors.js'

export const moduleErrors = {
  sourceMissing: (file: string) => new JexoError('source-missing', 'there is no such file', 'check the path', file),
  sourceUnreadable: (file: string, reason: string) =>
    new JexoError('source-unreadable', `it cannot be read (${reason})`, 'fix it and try again', file),
  sourceNotLoadable: (file: string) =>
    new JexoError(
      'source-not-loadable',
      'this version of Node cannot load TypeScript',
      'serve or pack the kit with jexo, or wrap the compiled JavaScript',
      file,
    ),
  sourceWithoutExports: (file: string) =>
    new JexoError('source-without-exports', 'it exports nothing', 'export the functions to offer as tools', file),
  wrapNothingLeft: (source: string, skipped: readonly string[]) =>
    new JexoError(
      'wrap-nothing-left',
      skipped.length > 0
        ? `none of its exports can become a tool: ${skipped.join('; ')}`
        : 'it exports no functions',
      skipped.length > 0 ? 'change these functions, or export others' : 'export the functions to offer as tools',
      source,
    ),
  wrapInstanceMissing: (className: string, source: string) =>
    new JexoError(
      'wrap-instance-missing',
      `there is no exported class ${className}`,
      'use the names of exported classes in instances',
      source,
    ),
}
