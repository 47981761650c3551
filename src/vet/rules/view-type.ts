import { isViewType, viewMimeType } from '../../protocol/ui.js'
import type { Rule } from '../finding.js'

export const viewType: Rule = {
  id: 'view-type',
  group: 'safety',
  severity: 'error',
  about: 'Views with a media type that hosts do not show as a page.',
  check: ({ views = [] }) =>
    views
      .filter(({ missing, mimeType }) => missing === undefined && !isViewType(mimeType))
      .map(({ uri, mimeType }) => ({
        location: `resource ${uri}`,
        problem: `its media type is ${mimeType ?? 'missing'}; hosts show only ${viewMimeType}`,
        fix: `serve it as ${viewMimeType}`,
      })),
}
