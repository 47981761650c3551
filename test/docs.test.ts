import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { dirname, join, relative, resolve } from 'node:path'
import { root, run } from './support/cli.js'

const script = join(root, 'scripts/docs.mjs')
const markdownIn = (folder: string) =>
  readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter(({ name }) => name.endsWith('.md'))
    .map(({ parentPath, name }) => join(parentPath, name))

/** Pages that people read in the repository. */
const pages = [
  ...['README.md', 'SECURITY.md', 'CONTRIBUTING.md', 'CHANGELOG.md'].map((name) => join(root, name)),
  ...markdownIn(join(root, 'docs/guide')),
  ...markdownIn(join(root, 'docs/reference')),
  join(root, 'docs/performance.md'),
  ...readdirSync(join(root, 'examples'))
    .map((name) => join(root, 'examples', name, 'README.md'))
    .filter((file) => existsSync(file)),
]

/** The anchor of a heading, as code hosts and the site generate it. */
const anchorOf = (heading: string) =>
  heading
    .toLowerCase()
    .replace(/[`*]/g, '')
    .replace(/[^\p{L}\p{N}\s-]/gu, '')
    .trim()
    .replace(/\s+/g, '-')
const anchorsIn = (file: string) =>
  [...readFileSync(file, 'utf8').matchAll(/^#+ (.+)$/gm)].map(([, heading = '']) => anchorOf(heading))

test('the generated pages are current', async () => {
  const { code, stderr } = await run(process.execPath, [script, '--check'])
  expect({ code, stderr }).toStrictEqual({ code: 0, stderr: '' })
})

test('every link leads to a file and to a heading in it', () => {
  const broken = pages.flatMap((page) =>
    [
      ...readFileSync(page, 'utf8')
        .replace(/```[\s\S]*?```/g, '')
        .matchAll(/\]\(([^)\s]+)\)/g),
    ]
      .map(([, link = '']) => link)
      .filter((link) => !/^https?:/.test(link))
      .filter((link) => {
        const [path = '', anchor] = link.split('#')
        const file = path === '' ? page : resolve(dirname(page), path)
        return !existsSync(file) || (anchor !== undefined && !anchorsIn(file).includes(anchor))
      })
      .map((link) => `${relative(root, page)}: ${link}`),
  )
  expect(pages.length).toBeGreaterThan(30)
  expect(broken).toStrictEqual([])
})

// `npm test` assembles the pages before. The site does not build with a link to a missing page.
test('links of the assembled site lead to pages of it', () => {
  const site = join(root, 'docs/.site')
  const broken = ['examples', 'guide', 'reference'].flatMap((folder) =>
    markdownIn(join(site, folder)).flatMap((page) =>
      [...readFileSync(page, 'utf8').matchAll(/\]\(([^)#:\s]+)(?=[)#])/g)]
        .map(([, path = '']) => resolve(dirname(page), path))
        .filter((file) => !existsSync(file))
        .map((file) => `${relative(site, page)}: ${relative(site, file)}`),
    ),
  )
  expect(broken).toStrictEqual([])
})

test('every exported name has a page in the API reference', () => {
  const { exports } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')) as { exports: object }
  const doors = Object.keys(exports).filter((door) => door !== './package.json')
  const missing = doors.flatMap((door) => {
    const name = door === '.' ? 'index' : door.slice(2).replaceAll('/', '-')
    const source = readFileSync(join(root, 'src', `${name}.ts`), 'utf8')
    const page = readFileSync(join(root, 'docs/.site/api', name, 'index.md'), 'utf8')
    const names = [...source.matchAll(/^export (?:type )?\{([^}]*)\}/gm)].flatMap(([, list = '']) =>
      list
        .split(',')
        .map((one) =>
          one
            .trim()
            .replace(/^type /, '')
            .replace(/^.* as /, ''),
        )
        .filter(Boolean),
    )
    return names
      .filter((one) => !page.includes(`[${one}]`) && !page.includes(`### ${one}`))
      .map((one) => `${door} ${one}`)
  })
  expect(doors.length).toBeGreaterThan(15)
  expect(missing).toStrictEqual([])
})
