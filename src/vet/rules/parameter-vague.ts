import type { Rule } from '../finding.js'
import { inTool, parametersOf } from '../snapshot.js'

export const parameterVague: Rule = {
  id: 'parameter-vague',
  group: 'words',
  severity: 'warning',
  about: 'Parameters with vague names.',
  check: ({ tools }) =>
    tools.flatMap((tool) =>
      parametersOf(tool)
        .filter(([name]) =>
          /^(.|arg\d*|args|param\d*|params|data|input|value|val|obj|object|payload|options|opts|stuff|thing|x\d|tmp|foo|bar)$/i.test(
            name,
          ),
        )
        .map(([name]) => ({
          location: `${inTool(tool)}, parameter ${name}`,
          problem: 'the name does not say what the value is, so a model may pass something else',
          fix: 'name it after the value, such as hive',
        })),
    ),
}
