import type { Rule } from '../finding.js'
import { inTool, parametersOf } from '../snapshot.js'
import { wordsIn } from '../wording.js'

const urls = new Set('url uri href link endpoint webhook'.split(' '))

export const urlUnlimited: Rule = {
  id: 'url-unlimited',
  group: 'safety',
  severity: 'warning',
  about: 'Parameters that accept any URL.',
  check: ({ tools }) =>
    tools.flatMap((tool) =>
      parametersOf(tool)
        .filter(
          ([name, { type, format, pattern, enum: choices }]) =>
            type === 'string' &&
            !pattern &&
            !choices &&
            (format === 'uri' || wordsIn(name).some((word) => urls.has(word))),
        )
        .map(([name]) => ({
          location: `${inTool(tool)}, parameter ${name}`,
          problem: 'the URL is not restricted: it may point into your own network',
          fix: 'set a pattern or a list of hosts',
        })),
    ),
}
