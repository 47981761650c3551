import type { Rule } from '../finding.js'

export const resourceUntyped: Rule = {
  id: 'resource-untyped',
  group: 'words',
  severity: 'note',
  about: 'Resources that do not say what kind of content they give.',
  check: ({ resources }) =>
    resources
      .map(({ uri, mimeType }) => ({ where: `resource ${uri}`, mimeType }))
      .filter(({ mimeType }) => mimeType === undefined)
      .map(({ where }) => ({ where, what: 'it has no media type', mend: 'give mimeType, such as text/markdown' })),
}
