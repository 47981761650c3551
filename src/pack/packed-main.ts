import { lstatSync, mkdirSync, mkdtempSync, realpathSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join, resolve } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import { parseArgs } from 'node:util'
import { isJexoError } from '../errors.js'
import { escapeControls } from '../escape/terminal.js'
import { kitErrors } from '../kit/errors.js'
import { type Kit, settingsFor } from '../kit/kit.js'
import { takeEnvironmentFile } from '../kit-file/dot-env.js'
import { packagesFolder } from '../packed-file/mark.js'
import { readRunOptions, type ServeFlags } from '../serve/options.js'
import { serveKit } from '../serve/serve-kit.js'
import { describeOption, type ServeOption, serveOptions, usageOf } from '../serve/serve-options.js'
import { serveByWorkers } from '../serve/workers/serve-by-workers.js'
import { readableTraces } from './traces.js'

const packed = globalThis as {
  __jexoAssetContents?: Record<string, string>
  __jexoAssetHash?: string
  __jexoModule?: (name: string) => { url: string; filename: string; dirname: string }
  __jexoPackages?: () => string
}
let assetsAt: URL | undefined

/** The folder of the unpacked files: written at first use, and shared by all runs of the same pack. */
function assets(): URL {
  const contents = packed.__jexoAssetContents
  assetsAt ??= contents
    ? pathToFileURL(`${unpack(contents, packed.__jexoAssetHash ?? 'none')}/`)
    : new URL('./', import.meta.url)
  return assetsAt
}

/** The location of a module at run time: the folder of its unpacked files. */
packed.__jexoModule = (name) => {
  const url = new URL(name.split('/').map(encodeURIComponent).join('/'), assets())
  const filename = fileURLToPath(url)
  return { url: url.href, filename, dirname: dirname(filename) }
}

/** Folder of packages with native parts, if there are any. */
if (Object.keys(packed.__jexoAssetContents ?? {}).some((name) => name.startsWith(`${packagesFolder}/`)))
  packed.__jexoPackages = () => fileURLToPath(new URL(packagesFolder, assets()))

function unpack(contents: Record<string, string>, hash: string): string {
  const folder = join(tmpdir(), `jexo-${process.getuid?.() ?? 'user'}-${hash}`)
  if (isOurs(folder)) return folder
  const draft = mkdtempSync(join(tmpdir(), 'jexo-draft-'))
  for (const [name, content] of Object.entries(contents)) {
    mkdirSync(dirname(join(draft, name)), { recursive: true })
    const bytes = bytesOf(content)
    // A script that a kit starts stays executable.
    const mode = bytes[0] === 0x23 && bytes[1] === 0x21 ? 0o755 : 0o644
    writeFileSync(join(draft, name), bytes, { mode })
  }
  try {
    renameSync(draft, folder)
    return folder
  } catch {
    // Another run was faster and wrote the same files, or another user occupies the name.
    if (!isOurs(folder)) return draft
    rmSync(draft, { recursive: true, force: true })
    return folder
  }
}

function bytesOf(content: string): Uint8Array {
  if (!content.startsWith('gzip:')) return Buffer.from(content, 'base64')
  return process.getBuiltinModule('node:zlib').gunzipSync(Buffer.from(content.slice(5), 'base64'))
}

/** A folder that another user created is not trusted. */
function isOurs(folder: string): boolean {
  const found = lstatSync(folder, { throwIfNoEntry: false })
  return found?.isDirectory() === true && (process.getuid === undefined || found.uid === process.getuid())
}

const options: readonly ServeOption[] = serveOptions.filter((option) => !('isForSources' in option))

const usage = (kit: Kit) => `${kit.name} ${kit.version}: a Model Context Protocol server

Usage: node FILE [options]

Serves on stdin and stdout; with --http, over HTTP.

${options.map((option) => `  ${usageOf(option).padEnd(25)}  ${describeOption(option)}`).join('\n')}
${settingsText(kit)}`

function settingsText(kit: Kit): string {
  const settings = Object.entries(settingsFor(kit, kit.parts))
  if (settings.length === 0) return ''
  const lines = settings.map(([name, { about, default: usual, optional }]) => {
    const need = usual === undefined ? (optional ? ' (optional)' : ' (required)') : ` (default: ${usual})`
    return `  ${name.padEnd(25)}  ${about}${need}`
  })
  return `\nSettings, from the environment:\n${lines.join('\n')}\n`
}

/** Entry point of a packed file. Reads the variables in `.env` before it loads the kit. */
export async function runPacked(load: () => Promise<{ default: Kit }>): Promise<void> {
  const file = realpathSync(process.argv[1] ?? '.')
  const readable = readableTraces(file)
  try {
    const { flags, isHelp } = readFlags(process.argv.slice(2))
    for (const file of flags.envFrom) await takeEnvironmentFile(resolve(file), true)
    await takeEnvironmentFile(join(dirname(file), '.env'))
    const code = isHelp ? undefined : await serveByWorkers(readRunOptions(flags, process.env), process.env)
    if (code !== undefined) process.exit(code)
    const { default: kit } = await load()
    if (isHelp) return void process.stderr.write(escapeControls(usage(kit)))
    await serveKit(kit, { ...readRunOptions(flags, process.env), readable })
    process.exit(0)
  } catch (error) {
    const said = isJexoError(error) ? error.message : String(error instanceof Error ? error.stack : error)
    process.stderr.write(`${escapeControls(readable(said))}\n`)
    process.exit(2)
  }
}

const parsed = Object.fromEntries(
  options.map(({ name, value, isRepeatable }) => [
    name,
    { type: value === undefined ? 'boolean' : 'string', multiple: isRepeatable === true },
  ]),
) as Record<string, { type: 'boolean' | 'string'; multiple: boolean }>
const mayStandAlone = new Set(options.filter(({ value }) => value?.startsWith('[')).map(({ name }) => `--${name}`))

function readFlags(words: readonly string[]): { flags: ServeFlags & { envFrom: string[] }; isHelp: boolean } {
  // These options may be given alone: the environment or a default supplies the rest.
  const isAlone = (word: string, next = '--') => mayStandAlone.has(word) && next.startsWith('--')
  const args = words.map((word, at) => (isAlone(word, words[at + 1]) ? `${word}=` : word))
  try {
    const { values } = parseArgs({ args, options: { ...parsed, help: { type: 'boolean', multiple: false } } })
    const { help, 'env-from': envFrom = [], ...others } = values as { help?: boolean; 'env-from'?: string[] }
    const named = Object.entries(others).map(([name, value]) => [camel(name), value === '' ? true : value])
    return { flags: { ...Object.fromEntries(named), envFrom }, isHelp: help === true }
  } catch (error) {
    const [reason] = (error as Error).message.split('. ')
    throw kitErrors.argumentUnreadable(`the command line (${reason})`, 'the arguments that --help names')
  }
}

const camel = (name: string) => name.replace(/-(\w)/g, (_, letter: string) => letter.toUpperCase())
