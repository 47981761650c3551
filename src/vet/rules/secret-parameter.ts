import type { Rule } from '../finding.js'
import { inTool, parametersOf } from '../surface.js'

export const secretParameter: Rule = {
  id: 'secret-parameter',
  group: 'safety',
  severity: 'warning',
  about: 'Secrets asked of a model as arguments: they end in conversations and logs.',
  check: ({ tools }) =>
    tools.flatMap((tool) =>
      parametersOf(tool)
        .filter(([name]) =>
          /(^|[_-])(password|passwd|secret|token|api[_-]?key|credential)s?$/i.test(
            name.replace(/([a-z])([A-Z])/g, '$1_$2'),
          ),
        )
        .map(([name]) => ({
          where: `${inTool(tool)}, parameter ${name}`,
          what: 'a model would have to hold a secret',
          mend: 'declare it as a setting of the kit',
        })),
    ),
}
