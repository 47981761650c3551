import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs'
import { readFile } from 'node:fs/promises'
import { dirname, join, parse, sep } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import type * as Vite from 'vite'
import { messageOf } from '../../errors.js'
import { compiledFile, packageFile } from '../../own-files.js'
import { pageErrors } from './errors.js'
import { inlined, localReferences } from './inline.js'

/** A bundled page and its source files. */
interface BuiltPage {
  html: string
  files: readonly string[]
  /** Modification times of the files at the build. */
  state: string
}

/** Maximum number of examined files next to a page. */
const mostFiles = 500

/** This package's own files do not change during development of a page. */
const own = packageFile('dist')

const kept = new Map<string, Promise<BuiltPage>>()

/**
 * Bundles an HTML file and its imports into one document, with Vite and the configuration in its folder. A page without references is returned unchanged. It is built again if one of its files has changed. Rejects with a `JexoError` if it cannot be built.
 *
 * @param url `file:` URL of the page
 * @param onFile called for each file that the document is made of, outside `node_modules`
 */
export async function buildPage(url: string, onFile: (file: string) => void = () => {}): Promise<string> {
  const file = fileURLToPath(url)
  const before = kept.get(file)
  const known = await before?.catch(() => undefined)
  if (known && known.state === stateOf(known.files)) return known.html
  // Concurrent reads share one build.
  if (kept.get(file) === before) kept.set(file, built(file))
  onFile(file)
  const page = await (kept.get(file) as Promise<BuiltPage>)
  for (const path of page.files) onFile(path)
  return page.html
}

/** Sizes and times of the files as text; a change gives another text. */
function stateOf(files: readonly string[]): string {
  return files
    .map((file) => {
      const found = statSync(file, { throwIfNoEntry: false })
      return found ? `${found.size} ${found.mtimeMs}` : 'gone'
    })
    .join()
}

const builtPage = (html: string, files: readonly string[]): BuiltPage => ({ html, files, state: stateOf(files) })

async function built(file: string): Promise<BuiltPage> {
  const shown = shownPage(file)
  if (!existsSync(file)) throw pageErrors.missing(shown)
  const html = await readFile(file, 'utf8')
  const [reference] = localReferences(html)
  if (reference === undefined) return builtPage(html, [file])
  const vite = await findVite(dirname(file))
  if (!vite) throw pageErrors.needsVite(shown, reference)
  try {
    return await withVite(vite, file)
  } catch (error) {
    throw pageErrors.unbuildable(shown, reasonIn(error))
  }
}

async function withVite({ build }: typeof Vite, file: string): Promise<BuiltPage> {
  const root = dirname(file)
  const files = new Set([file])
  const configFile = configOf(root)
  if (configFile) files.add(configFile)
  const result = await build({
    root,
    configFile: configFile ?? false,
    publicDir: false,
    base: './',
    mode: 'production',
    logLevel: 'silent',
    plugins: [
      ownDoors(),
      {
        name: 'jexo-page-files',
        buildEnd() {
          for (const id of this.getModuleIds()) {
            const path = id.replace(/[?#].*$/, '')
            if (!path.includes(`${sep}node_modules${sep}`) && !path.startsWith(own)) files.add(path)
          }
        },
      },
    ],
    build: {
      write: false,
      target: 'es2022',
      assetsInlineLimit: () => true,
      cssCodeSplit: false,
      modulePreload: false,
      reportCompressedSize: false,
      rolldownOptions: { input: file, output: { codeSplitting: false } },
    },
  })
  const outputs = [result].flat().flatMap((one) => ('output' in one ? one.output : []))
  const document = outputs.find((one) => one.type === 'asset' && one.fileName.endsWith('.html'))
  if (document?.type !== 'asset') throw new Error('Vite did not produce an HTML document')
  const made = outputs.map((one) => ({
    path: one.fileName,
    text: one.type === 'chunk' ? one.code : String(one.source),
  }))
  const existing = [...files].filter((path) => statSync(path, { throwIfNoEntry: false })?.isFile())
  return builtPage(inlined(String(document.source), made), [...new Set([...existing, ...assetsIn(root)])].sort())
}

/** Images, fonts and similar files are inlined without being modules; files next to a page count as its sources. */
function assetsIn(root: string): string[] {
  const found: string[] = []
  const folders = [root]
  for (let seen = 0; folders.length > 0 && seen < mostFiles; ) {
    const folder = folders.shift() as string
    for (const entry of readdirSync(folder, { withFileTypes: true })) {
      seen++
      const path = join(folder, entry.name)
      if (entry.isDirectory() && !/^\.|^node_modules$|^dist$/.test(entry.name)) folders.push(path)
      else if (entry.isFile() && assetPattern.test(entry.name)) found.push(path)
    }
  }
  return found.slice(0, mostFiles)
}

const assetPattern = /\.(svg|png|jpe?g|gif|webp|avif|ico|woff2?|ttf|otf|mp3|ogg|mp4|webm|css|html)$/i

/** Pages find the `jexo/view` of this installation, as kits do. */
function ownDoors(): Vite.Plugin {
  const doors: Readonly<Record<string, string>> = { 'jexo/view': 'view.js', 'jexo/view/react': 'view-react.js' }
  return {
    name: 'jexo-own-doors',
    enforce: 'pre',
    resolveId(source) {
      const door = doors[source]
      if (door === undefined) return null
      const compiled = packageFile(join('dist', door))
      return existsSync(compiled) ? compiled : compiledFile(door)
    },
  }
}

/** The Vite configuration of a page: in its folder or a parent folder, up to its package. */
function configOf(folder: string): string | undefined {
  for (let at = folder; ; at = dirname(at)) {
    for (const ending of ['ts', 'mts', 'js', 'mjs']) {
      const file = join(at, `vite.config.${ending}`)
      if (existsSync(file)) return file
    }
    if (existsSync(join(at, 'package.json')) || at === parse(at).root) return undefined
  }
}

/** Vite of the page's project, otherwise the one that this package finds. */
async function findVite(folder: string): Promise<typeof Vite | undefined> {
  for (let at = folder; ; at = dirname(at)) {
    const manifest = join(at, 'node_modules/vite/package.json')
    if (existsSync(manifest)) {
      const { exports } = JSON.parse(readFileSync(manifest, 'utf8')) as { exports: Record<string, unknown> }
      return import(pathToFileURL(join(dirname(manifest), entryOf(exports['.']))).href)
    }
    if (at === parse(at).root) break
  }
  return import('vite').catch(() => undefined)
}

function entryOf(target: unknown): string {
  if (typeof target === 'string') return target
  const { import: module, default: any } = (target ?? {}) as { import?: unknown; default?: unknown }
  return module === undefined && any === undefined ? 'dist/node/index.js' : entryOf(module ?? any)
}

const shownPage = (file: string) => {
  const [folder = '', name = file] = file.split(sep).slice(-2)
  return `${folder}/${name}`
}

/** The message of a bundler's error, with its location. */
function reasonIn(error: unknown): string {
  // biome-ignore lint/suspicious/noControlCharactersInRegex: colours of the bundler's terminal output
  const text = messageOf(error).replace(/\u001b\[[0-9;]*m/g, '')
  const lines = text
    .split('\n')
    .filter((line) => line.trim() !== '' && !/^(Build failed|\[plugin \S+\] \S*$)/.test(line))
  const place = /╭─\[ *(\S+?) *\]/.exec(text)?.[1]
  const [first = 'unknown reason'] = lines.filter((line) => !/^\[plugin [^\]]+\]/.test(line))
  const sentence = first.replace(/^(Error: )?(\[[\w:-]+\]:? ?)?/, '').trim()
  return `${sentence.slice(0, 500)}${place === undefined ? '' : ` (${place})`}`
}
