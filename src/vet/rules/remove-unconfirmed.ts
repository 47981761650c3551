import type { Rule } from '../finding.js'

export const removeUnconfirmed: Rule = {
  id: 'remove-unconfirmed',
  group: 'safety',
  severity: 'warning',
  about: 'Tools that remove data without asking for confirmation.',
  check: ({ kit }) =>
    (kit?.parts ?? []).flatMap((part) =>
      part.kind === 'tool' && part.effect === 'remove' && !part.confirm
        ? [
            {
              location: `tool ${part.name}`,
              problem: 'it removes data without confirmation, so a model may remove data by mistake',
              fix: 'set confirm: (input) => the question to ask',
            },
          ]
        : [],
    ),
}
