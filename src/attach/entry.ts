import { existsSync, realpathSync } from 'node:fs'
import { dirname, join, resolve } from 'node:path'
import { quote } from 'shell-quote'
import which from 'which'
import { hostName } from '../kit/host-name.js'
import { settingsFor } from '../kit/kit.js'
import type { Setting } from '../kit/settings.js'
import { environmentFileNames } from '../kit-file/dot-env.js'
import { loadKit, shownPath } from '../kit-file/kit-file.js'
import { packageFile } from '../own-files.js'
import { isSecretHeader, isSecretValue } from '../protocol/secrets.js'
import { targetErrors } from '../target/errors.js'
import type { Target } from '../target/target.js'
import type { ChildCommand } from '../transport/child-wire.js'
import { attachErrors } from './errors.js'

/**
 * The entry of a server in a host's configuration. All paths are absolute, since hosts have another PATH and folder.
 */
export type HostEntry =
  | { command: string; args: string[]; env?: Record<string, string>; cwd?: string }
  | { url: string; headers?: Record<string, string> }

/** A secret that a server requires. Its value is written to files only if requested. */
export interface NeededSecret {
  name: string
  about: string
  /** The header that it is the value of. */
  header?: string
  /** Its value, if known. */
  value?: string
}

export interface Attachable {
  name: string
  entry: HostEntry
  /** Required secrets. They are not part of the entry, except by reference if the shape supports that. */
  secrets: readonly NeededSecret[]
  /** Settings that the kit reads from the file `.env` in its folder. */
  fromFile?: { file: string; names: readonly string[] }
}

export interface EntryOptions {
  /** Variables that were given for the entry. */
  env?: Readonly<Record<string, string>>
  /** The given working folder. */
  cwd?: string
  /** Headers as given: a reference such as `${env:NAME}` is kept. */
  typedHeaders?: Readonly<Record<string, string>>
}

/** The entry for a target, and a name that hosts accept: no dashes, spaces or dots, at most 60 characters. */
export async function entryFor(
  target: Target,
  environment: Readonly<Record<string, string | undefined>>,
  { env: given = {}, cwd, typedHeaders = {} }: EntryOptions = {},
): Promise<Attachable> {
  if (target.kind === 'url') {
    const { url, headers = {} } = target
    const written = { ...headers, ...typedHeaders }
    const secrets = Object.entries(written).filter(
      ([name, value]) => wordFor(name, value) !== value && !isReference(value),
    )
    return {
      name: hostName(new URL(url).hostname),
      entry: Object.keys(written).length > 0 ? { url, headers: written } : { url },
      secrets: secrets.map(([header, value]) => ({
        name: variableFor(header),
        about: `Value of the header ${header}.`,
        header,
        value,
      })),
    }
  }
  if (target.kind === 'child') return entryForCommand(target.command, environment, given)
  if (target.kind === 'tape') throw targetErrors.tapeAsTarget(shownPath(target.file))
  const file = join(dirname(target.file), '.env')
  const ofFile = await environmentFileNames(file)
  const kit = await loadKit(target.file)
  const jexo = realpathSync(packageFile('bin/jexo.mjs'))
  const declared = settingsFor(kit, kit.parts)
  const fromFile = Object.keys(declared).filter(
    (name) => ofFile.includes(name) && !(name in given) && !environment[name],
  )
  const env = { ...settingsToWrite(declared, environment), ...given }
  const entry = {
    command: realpathSync(process.execPath),
    args: [jexo, 'serve', realpathSync(target.file)],
    ...(cwd === undefined ? {} : { cwd: resolve(cwd) }),
  }
  return {
    name: hostName(kit.name),
    entry: Object.keys(env).length > 0 ? { ...entry, env } : entry,
    secrets: Object.entries(declared)
      .filter(
        ([name, setting]) => !(name in given) && !fromFile.includes(name) && isNeeded(setting, environment[name]),
      )
      .map(([name, { about }]) => ({ name, about })),
    ...(fromFile.length > 0 ? { fromFile: { file, names: fromFile } } : {}),
  }
}

/** A command with its absolute path, since hosts have another PATH and folder. Throws if there is no such program. */
function entryForCommand(
  { command, args, cwd, env = {} }: ChildCommand,
  environment: Readonly<Record<string, string | undefined>>,
  given: Readonly<Record<string, string>>,
): Attachable {
  const folder = resolve(cwd ?? '.')
  const program = which.sync(/[\\/]/.test(command) ? resolve(folder, command) : command, { nothrow: true })
  if (program === null) throw attachErrors.commandMissing(command)
  const isFile = (word: string) => !word.startsWith('-') && existsSync(resolve(folder, word))
  const paths = args.map((word) => (isFile(word) ? resolve(folder, word) : word))
  const last = paths.findLast((word) => !word.startsWith('-')) ?? command
  const own = Object.entries(env).filter(([name, value]) => value !== undefined && value !== environment[name])
  const wanted = { ...Object.fromEntries(own), ...given } as Record<string, string>
  return {
    name: hostName(last.replace(/^.*[\\/]/, '').replace(/\.(kit\.)?[cm]?[jt]s$/, '')),
    entry: {
      command: program === process.execPath ? realpathSync(program) : program,
      args: paths,
      ...(Object.keys(wanted).length > 0 ? { env: wanted } : {}),
      ...(cwd === undefined ? {} : { cwd: folder }),
    },
    secrets: [],
  }
}

/**
 * The same entry with the relay in between, which records to a tape. A URL becomes a command, since hosts start
 * commands, and no other process must run then.
 */
export function withRelay(target: Target, { entry }: Attachable, tape: string): HostEntry {
  const jexo = realpathSync(packageFile('bin/jexo.mjs'))
  const what = target.kind === 'kit' ? [realpathSync(target.file)] : wordsFor(entry)
  const kept =
    'url' in entry ? {} : { ...(entry.env ? { env: entry.env } : {}), ...(entry.cwd ? { cwd: entry.cwd } : {}) }
  return { command: realpathSync(process.execPath), args: [jexo, 'relay', ...what, '--tape', tape], ...kept }
}

function wordsFor(entry: HostEntry): string[] {
  if (!('url' in entry)) return [`exec:${quote([entry.command, ...entry.args])}`]
  const headers = Object.entries(entry.headers ?? {})
  return [entry.url, ...headers.flatMap(([name, value]) => ['--header', `${name}: ${wordFor(name, value)}`])]
}

/**
 * All users of the machine can read arguments, so secrets are passed as environment variables, and the argument
 * contains the name.
 */
const wordFor = (name: string, value: string): string =>
  isSecretHeader(name) || isSecretValue(value) ? `\${env:${variableFor(name)}}` : value
const variableFor = (name: string): string => `JEXO_HEADER_${name.toUpperCase().replace(/[^A-Z0-9]+/g, '_')}`

const isReference = (value: string): boolean => /^(?:\w+ )?\$\{env:[^}]+\}$/.test(value)

/** True if the host must set the secret: it has no default, or its value differs from the default. */
const isNeeded = (declared: Setting | undefined, value: string | undefined): boolean =>
  declared?.secret === true &&
  ((declared.default === undefined && !declared.optional) || (value !== undefined && value !== ''))

/** Settings of this environment that differ from their defaults, since the host has a different environment. */
function settingsToWrite(
  settings: Readonly<Record<string, Setting>>,
  environment: Readonly<Record<string, string | undefined>>,
): Record<string, string> {
  const found: Record<string, string> = {}
  for (const [name, declared] of Object.entries(settings)) {
    const value = environment[name]
    if (value !== undefined && value !== '' && value !== declared.default && !declared.secret) found[name] = value
  }
  return found
}
