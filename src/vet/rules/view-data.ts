import { elementsIn } from '../../view/build/inline.js'
import type { Rule } from '../finding.js'

const mostCharacters = 2000

export const viewData: Rule = {
  id: 'view-data',
  group: 'size',
  severity: 'warning',
  about: 'Pages with data in them: hosts keep a page and show it for other calls.',
  check: ({ views = [] }) =>
    views.flatMap(({ uri, html, differs }) => {
      const baked = largestData(html)
      if (!differs && baked < mostCharacters) return []
      return [
        {
          location: `resource ${uri}`,
          problem: differs
            ? 'two reads returned two documents; hosts keep the first and show it for later calls too'
            : `the page contains about ${Math.round(baked / 1000)} kB of JSON; hosts keep the page, so the data becomes outdated`,
          fix: 'return the data in the result of the tool, and read it from host.result in the page',
        },
      ]
    }),
}

/** Length of the largest JSON in a script, except the examples that Jexo adds for use without a host. */
function largestData(html: string): number {
  const lengths = elementsIn(html).map(({ name, attributes, text }) => {
    if (name !== 'script') return 0
    if (attributes.id === 'jexo-sample') return 0
    if (/^application\/(ld\+)?json/i.test(attributes.type ?? '')) return text.length
    const assigned = /(?:window|globalThis|self)\.\w+\s*=\s*(?=[[{]|JSON\.parse)/.exec(text)
    return assigned && !/\bimport\b/.test(text) ? text.length - assigned.index : 0
  })
  return Math.max(0, ...lengths)
}
