import type { Rule } from '../finding.js'

export const removeUnconfirmed: Rule = {
  id: 'remove-unconfirmed',
  group: 'safety',
  severity: 'warning',
  about: 'Tools that remove something without asking a person first.',
  check: ({ kit }) =>
    (kit?.parts ?? []).flatMap((part) =>
      part.kind === 'tool' && part.effect === 'remove' && !part.confirm
        ? [
            {
              where: `tool ${part.name}`,
              what: 'it removes without asking',
              mend: 'give confirm: (input) => the sentence that a person agrees to',
            },
          ]
        : [],
    ),
}
