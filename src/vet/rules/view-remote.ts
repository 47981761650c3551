import type { Rule } from '../finding.js'
import { isDeclared, remoteReferences } from '../views/references.js'

export const viewRemote: Rule = {
  id: 'view-remote',
  group: 'safety',
  severity: 'error',
  about: 'Pages that load something from an origin that their view does not declare.',
  check: ({ views = [] }) =>
    views.flatMap(({ uri, html, meta }) => {
      const blocked = remoteReferences(html).filter((reference) => !isDeclared(reference, meta.csp))
      return [...new Map(blocked.map((one) => [`${one.needs} ${originOf(one.url)}`, one])).values()].map(
        ({ url, needs }) => ({
          location: `resource ${uri}`,
          problem: `the page uses ${url.slice(0, 200)}, which hosts block: the view does not declare its origin`,
          fix: `add ${originOf(url)} to "${needs}" of the view (_meta.ui.csp), or include the file in the page`,
        }),
      )
    }),
}

const originOf = (url: string) => (URL.canParse(url) ? `${new URL(url).protocol}//${new URL(url).host}` : url)
