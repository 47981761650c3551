import type { Rule } from '../finding.js'

const mostBytes = 500_000

export const viewLarge: Rule = {
  id: 'view-large',
  group: 'size',
  severity: 'warning',
  about: 'Pages of more than 500 kB.',
  check: ({ views = [] }) =>
    views
      .map(({ uri, html }) => ({ uri, bytes: Buffer.byteLength(html) }))
      .filter(({ bytes }) => bytes > mostBytes)
      .map(({ uri, bytes }) => ({
        location: `resource ${uri}`,
        problem: `the page has ${Math.round(bytes / 1000)} kB; it is sent and parsed for each call that shows it`,
        fix: 'load pictures as resources of the server, and remove unused code and styles',
      })),
}
