import type { Rule } from '../finding.js'

export const resourceUndescribed: Rule = {
  id: 'resource-undescribed',
  group: 'words',
  severity: 'warning',
  about: 'Resources and templates without a description.',
  check: ({ resources, templates }) =>
    [
      ...resources.map(({ uri, description }) => ({ where: `resource ${uri}`, description })),
      ...templates.map(({ uriTemplate, description }) => ({ where: `template ${uriTemplate}`, description })),
    ]
      .filter(({ description }) => !description?.trim())
      .map(({ where }) => ({ where, what: 'it has no description', fix: 'describe the content' })),
}
