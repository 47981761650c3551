import { JexoError } from '../../errors.js'

export const graphqlErrors = {
  introspectionRefused: (url: string, reason: string) =>
    new JexoError(
      'introspection-refused',
      `the endpoint refused introspection (${reason})`,
      'pass a schema file instead (SDL, or a saved introspection result), or credentials with --header (introspectionHeaders)',
      url,
    ),
}
