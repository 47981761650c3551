import type { Rule } from '../finding.js'

export const viewNoText: Rule = {
  id: 'view-no-text',
  group: 'words',
  severity: 'warning',
  about: 'Tools whose result has no text for hosts that do not show views.',
  check: ({ viewResults = [] }) =>
    viewResults
      .filter(({ hasText }) => !hasText)
      .map(({ tool }) => ({
        location: `tool ${tool}`,
        problem: 'the result has no text, so models and hosts without views receive nothing',
        fix: 'return structured content, or a text block with the content of the page',
      })),
}
