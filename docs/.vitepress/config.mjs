import { readdirSync } from 'node:fs'
import { join } from 'node:path'

const site = join(import.meta.dirname, '..')
const guide = (text, name) => ({ text, link: `/guide/${name}` })

export default {
  title: 'Jexo',
  description: 'Turns functions, APIs and data into Model Context Protocol servers',
  cleanUrls: true,
  lastUpdated: false,
  themeConfig: {
    search: {
      provider: 'local',
      options: {
        miniSearch: {
          searchOptions: {
            // Commands and guides come before members of types with the same name.
            boostDocument: (id) => (/\/reference\/commands/.test(id) ? 4 : /\/api\//.test(id) ? 0.3 : 1),
          },
        },
      },
    },
    outline: [2, 3],
    nav: [
      { text: 'Guide', link: '/guide/writing-a-kit' },
      { text: 'Commands', link: '/reference/commands' },
      { text: 'API', link: '/api/' },
      { text: 'Changelog', link: '/changelog' },
    ],
    sidebar: {
      '/api/': [{ text: 'API', link: '/api/' }, ...doors()],
      '/': [
        { text: 'Overview', link: '/' },
        {
          text: 'Build',
          items: [
            guide('Writing a kit', 'writing-a-kit'),
            guide('Wrapping functions', 'wrapping-functions'),
            guide('Wrapping REST APIs', 'wrapping-apis'),
            guide('Wrapping GraphQL APIs', 'wrapping-graphql'),
            guide('Wrapping databases', 'wrapping-databases'),
            guide('Wrapping folders', 'wrapping-folders'),
            guide('Wrapping feeds', 'wrapping-feeds'),
            guide('Wrapping commands', 'wrapping-commands'),
            guide('Wrapping other languages', 'wrapping-other-languages'),
            guide('Wrapping servers', 'wrapping-servers'),
            guide('Views', 'views'),
            guide('Packages', 'packages'),
          ],
        },
        {
          text: 'Run and test',
          items: [
            guide('Running a server', 'running'),
            guide('Several processes', 'several-processes'),
            guide('Layers', 'layers'),
            guide('Authentication', 'authentication'),
            guide('Observability', 'observability'),
            guide('Testing', 'trying'),
            guide('Loupe, tapes and the relay', 'loupe'),
            guide('Linting', 'vetting'),
            guide('Rehearsals', 'rehearsing'),
          ],
        },
        {
          text: 'Deploy',
          items: [
            guide('Adding a server to a host', 'attaching'),
            guide('As one file', 'as-a-file'),
            guide('As an npm package', 'as-an-npm-package'),
            guide('As a container', 'as-a-container'),
            guide('As a systemd service', 'as-a-service'),
            guide('On Kubernetes', 'on-kubernetes'),
            guide('In a registry of servers', 'in-the-registry'),
            guide('Deploying to a machine', 'shipping'),
            guide('Behind a proxy or a tunnel', 'behind-a-proxy'),
          ],
        },
        {
          text: 'Reference',
          items: [
            { text: 'Commands', link: '/reference/commands' },
            { text: 'Errors', link: '/reference/errors' },
            { text: 'Rules of vet', link: '/reference/rules' },
            { text: 'File formats', link: '/reference/formats' },
            { text: 'API', link: '/api/' },
            { text: 'Performance', link: '/performance' },
            { text: 'Reliability', link: '/reliability' },
            { text: 'Security', link: '/security' },
            { text: 'Contributing', link: '/contributing' },
            { text: 'Changelog', link: '/changelog' },
          ],
        },
      ],
    },
  },
}

/** The doors of the package that have pages, from the folder that they are written to. */
function doors() {
  try {
    return readdirSync(join(site, 'api'), { withFileTypes: true })
      .filter((one) => one.isDirectory())
      .map(({ name }) => ({
        text: name === 'index' ? 'jexo' : `jexo/${name.replace('-', '/')}`,
        link: `/api/${name}/`,
      }))
      .sort((one, other) => one.text.localeCompare(other.text))
  } catch {
    return []
  }
}
