/**
 * `npm run docs`: assembles the site in `docs/.site` (guides, generated reference, API from doc comments, changelog) and
 * serves it. `--build` builds it. `--pages` only assembles its pages and leaves the generated ones as they are.
 * `--reference` only rewrites the generated pages under docs/, and `--check` only says which of them are out of date.
 */
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { parseArgs } from 'node:util'
import { prepare } from './prepare.mjs'

const root = fileURLToPath(new URL('..', import.meta.url))
const site = join(root, 'docs/.site')
const usage = 'Usage: npm run docs -- [--build | --pages | --reference | --check] [--port 4880]'

const { values } = parseArgs({
  options: {
    build: { type: 'boolean' },
    pages: { type: 'boolean' },
    reference: { type: 'boolean' },
    check: { type: 'boolean' },
    port: { type: 'string', default: '4880' },
    help: { type: 'boolean' },
  },
})
if (values.help) console.log(usage)
else await run()

async function run() {
  await prepare()
  const { generatedFiles } = await import('./docs/reference.mjs')
  const files = await generatedFiles(root)
  if (values.check) return check(files)
  // `--pages` runs before the tests, which check that the generated pages are current.
  if (values.pages) return assemble()
  for (const [path, text] of files) {
    mkdirSync(dirname(join(root, path)), { recursive: true })
    writeFileSync(join(root, path), text)
  }
  if (values.reference) return
  await assemble()
  const { build, createServer } = await import('vitepress')
  if (values.build) {
    await build(site)
    console.log(`Built the site: ${join('docs/.site/.vitepress/dist', 'index.html')}`)
    return
  }
  const server = await createServer(site, { port: Number(values.port) })
  await server.listen()
  server.printUrls()
}

function check(files) {
  const isCurrent = ([path, text]) =>
    existsSync(join(root, path)) && readFileSync(join(root, path), 'utf8') === text
  const old = [...files].filter((file) => !isCurrent(file)).map(([path]) => path)
  if (old.length === 0) return
  console.error(`Out of date: ${old.join(', ')}. Run: npm run docs -- --reference`)
  process.exitCode = 1
}

/** Collects all pages of the site in one folder, with links within it. */
async function assemble() {
  rmSync(site, { recursive: true, force: true })
  for (const folder of ['guide', 'reference', 'screenshots', '.vitepress'])
    cpSync(join(root, 'docs', folder), join(site, folder), { recursive: true })
  for (const name of ['performance.md', 'reliability.md', 'performance'])
    cpSync(join(root, 'docs', name), join(site, name), { recursive: true })
  cpSync(join(root, 'README.md'), join(site, 'index.md'))
  for (const name of ['CHANGELOG', 'SECURITY', 'CONTRIBUTING'])
    cpSync(join(root, `${name}.md`), join(site, `${name.toLowerCase()}.md`))
  for (const name of readdirSync(join(root, 'examples')).filter((one) =>
    existsSync(join(root, 'examples', one, 'README.md')),
  )) {
    mkdirSync(join(site, 'examples'), { recursive: true })
    cpSync(join(root, 'examples', name, 'README.md'), join(site, 'examples', `${name}.md`))
  }
  await writeApi()
  for (const file of markdownIn(site)) {
    const from = file.slice(site.length + 1)
    writeFileSync(file, withinSite(readFileSync(file, 'utf8'), from))
  }
}

function markdownIn(folder) {
  return readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter(({ name, parentPath }) => name.endsWith('.md') && !parentPath.includes('.vitepress'))
    .map(({ parentPath, name }) => join(parentPath, name))
}

/** Converts links of the repository to links of the site. Links to files outside the site become plain text. */
function withinSite(text, from) {
  const up = '../'.repeat(from.split('/').length - 1) || './'
  return text
    .replace(/\]\((?:\.\.\/)*(?:\.\/)?docs\/(guide|reference|screenshots|performance|reliability)/g, `](${up}$1`)
    .replace(/\]\((?:\.\.\/)+README\.md(#[\w-]+)?\)/g, (_all, hash = '') => `](${up}index.md${hash})`)
    .replace(
      /\]\((?:\.\.\/)*(?:\.\/)?(CHANGELOG|SECURITY|CONTRIBUTING)\.md/g,
      (_all, name) => `](${up}${name.toLowerCase()}.md`,
    )
    .replace(/\]\((?:\.\.\/)*(?:\.\/)?examples\/([\w-]+)\/README\.md/g, `](${up}examples/$1.md`)
    .replace(/\]\(\.\.\/([\w-]+)\/README\.md/g, `](${up}examples/$1.md`)
    .replace(/\[([^\]]+)\]\((?:\.\.\/)*(?:\.\/)?(?:examples|schemas|src|test)\/[^)]*\)/g, '$1')
    .replace(/(?<!!)\[([^\]]+)\]\(([^)#:\s]+)(#[^)]*)?\)/g, (link, words, path) =>
      existsSync(join(site, dirname(from), path)) ? link : words,
    )
}

/** Writes the API reference of every door from its doc comments. */
async function writeApi() {
  const { Application, TSConfigReader } = await import('typedoc')
  const doors = Object.keys(JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')).exports)
    .filter((name) => name !== './package.json')
    .map((name) => join(root, 'src', name === '.' ? 'index.ts' : `${name.slice(2).replaceAll('/', '-')}.ts`))
  const app = await Application.bootstrapWithPlugins(
    {
      entryPoints: doors,
      tsconfig: join(root, 'tsconfig.json'),
      plugin: ['typedoc-plugin-markdown'],
      readme: 'none',
      skipErrorChecking: true,
      excludePrivate: true,
      excludeInternal: true,
      disableSources: true,
      hideBreadcrumbs: true,
      hidePageHeader: true,
      outputFileStrategy: 'members',
      entryFileName: 'index',
      // Both options are needed: TypeDoc empties its default folder, which is docs/.
      out: join(site, 'api'),
      cleanOutputDir: false,
      outputs: [{ name: 'markdown', path: join(site, 'api') }],
      logLevel: 'Error',
    },
    [new TSConfigReader()],
  )
  const project = await app.convert()
  if (!project) throw new Error('the API could not be read')
  await app.generateOutputs(project)
  // TypeDoc names a module by its file; users import it by its door.
  for (const door of readdirSync(join(site, 'api'), { withFileTypes: true }).filter((one) => one.isDirectory())) {
    const page = join(site, 'api', door.name, 'index.md')
    const name = door.name === 'index' ? 'jexo' : `jexo/${door.name.replace('-', '/')}`
    writeFileSync(page, readFileSync(page, 'utf8').replace(/^# .*$/m, `# ${name}`))
  }
}
