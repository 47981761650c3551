import type { Rule } from '../finding.js'
import { inPrompt } from '../surface.js'

export const promptUndescribed: Rule = {
  id: 'prompt-undescribed',
  group: 'words',
  severity: 'warning',
  about: 'Prompts and their arguments without a description.',
  check: ({ prompts }) =>
    prompts.flatMap((prompt) => [
      ...(prompt.description?.trim()
        ? []
        : [{ where: inPrompt(prompt), what: 'it has no description', fix: 'describe what the prompt asks for' }]),
      ...(prompt.arguments ?? [])
        .filter(({ description }) => !description?.trim())
        .map(({ name }) => ({
          where: `${inPrompt(prompt)}, argument ${name}`,
          what: 'it has no description',
          fix: 'describe what to fill in',
        })),
    ]),
}
