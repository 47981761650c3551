import type { Rule } from '../finding.js'
import { inTool, parametersOf } from '../surface.js'
import { wordsIn } from '../wording.js'

const urls = new Set('url uri href link endpoint webhook'.split(' '))

export const urlUnlimited: Rule = {
  id: 'url-unlimited',
  group: 'safety',
  severity: 'warning',
  about: 'Addresses that a model may choose freely.',
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
          where: `${inTool(tool)}, parameter ${name}`,
          what: 'it is an address without limits: it may lead into your own network',
          mend: 'give a pattern or choices of hosts',
        })),
    ),
}
