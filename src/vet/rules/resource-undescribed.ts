import type { Rule } from '../finding.js'

export const resourceUndescribed: Rule = {
  id: 'resource-undescribed',
  group: 'words',
  severity: 'warning',
  about: 'Resources and templates without a description.',
  check: ({ resources, templates }) =>
    [
      ...resources.map(({ uri, description }) => ({ location: `resource ${uri}`, description })),
      ...templates.map(({ uriTemplate, description }) => ({ location: `template ${uriTemplate}`, description })),
    ]
      .filter(({ description }) => !description?.trim())
      .map(({ location }) => ({ location, problem: 'it has no description', fix: 'describe the content' })),
}
