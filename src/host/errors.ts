import { JexoError } from '../errors.js'

export const hostErrors = {
  noCall: (id: number) =>
    new JexoError('view-missing', `step ${id} is not a call`, 'use the id of a call of this conversation'),
  noView: (tool: string) =>
    new JexoError('view-missing', `the tool ${tool} has no view`, 'request views only of steps that have "view"'),
  notAView: (uri: string, type: string | undefined) =>
    new JexoError(
      'view-missing',
      `${uri} has the type ${type ?? 'none'}`,
      'serve views as text/html;profile=mcp-app',
    ),
}
