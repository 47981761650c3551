import type { Rule } from '../finding.js'
import { inPrompt } from '../snapshot.js'

export const promptUndescribed: Rule = {
  id: 'prompt-undescribed',
  group: 'words',
  severity: 'warning',
  about: 'Prompts and their arguments without a description.',
  check: ({ prompts }) =>
    prompts.flatMap((prompt) => [
      ...(prompt.description?.trim()
        ? []
        : [
            {
              location: inPrompt(prompt),
              problem: 'it has no description',
              fix: 'describe what the prompt asks for',
            },
          ]),
      ...(prompt.arguments ?? [])
        .filter(({ description }) => !description?.trim())
        .map(({ name }) => ({
          location: `${inPrompt(prompt)}, argument ${name}`,
          problem: 'it has no description',
          fix: 'describe what to fill in',
        })),
    ]),
}
