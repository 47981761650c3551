import type { Rule } from '../finding.js'

export const viewMissing: Rule = {
  id: 'view-missing',
  group: 'safety',
  severity: 'error',
  about: 'Tools whose view is not a resource of the server.',
  check: ({ views = [] }) =>
    views.flatMap(({ uri, tools, missing }) => {
      if (missing === undefined && uri.startsWith('ui://')) return []
      const problem = uri.startsWith('ui://')
        ? `the view ${uri} cannot be read (${missing}); hosts show no page`
        : `"resourceUri" is ${JSON.stringify(uri)}; hosts take only ui:// URIs`
      return tools.map((tool) => ({
        location: `tool ${tool}`,
        problem,
        fix: 'serve an HTML resource under that URI, or remove _meta.ui',
      }))
    }),
}
