import type { Rule } from '../finding.js'

export const resourceUntyped: Rule = {
  id: 'resource-untyped',
  group: 'words',
  severity: 'note',
  about: 'Resources without a media type.',
  check: ({ resources }) =>
    resources
      .map(({ uri, mimeType }) => ({ location: `resource ${uri}`, mimeType }))
      .filter(({ mimeType }) => mimeType === undefined)
      .map(({ location }) => ({
        location,
        problem: 'it has no media type, so hosts have to guess how to show it',
        fix: 'set mimeType, such as text/markdown',
      })),
}
