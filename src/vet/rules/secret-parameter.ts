import { isSecretName } from '../../protocol/secrets.js'
import type { Rule } from '../finding.js'
import { inTool, parametersOf } from '../snapshot.js'

export const secretParameter: Rule = {
  id: 'secret-parameter',
  group: 'safety',
  severity: 'warning',
  about: 'Secrets as arguments: they end up in conversations and logs.',
  check: ({ tools }) =>
    tools.flatMap((tool) =>
      parametersOf(tool)
        // A plain `key` or `id` is usually not a secret.
        .filter(([name]) => name.length > 3 && isSecretName(name))
        .map(([name]) => ({
          location: `${inTool(tool)}, parameter ${name}`,
          problem: 'the model would need to know a secret',
          fix: 'declare the secret as a setting of the kit',
        })),
    ),
}
