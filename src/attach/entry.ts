import { realpathSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { quote } from 'shell-quote'
import { problems } from '../errors.js'
import { hostName } from '../kit/host-name.js'
import type { Kit } from '../kit/kit.js'
import type { Setting } from '../kit/settings.js'
import { loadKit, shownPath } from '../target/kit-file.js'
import type { Target } from '../target/target.js'

/** What a host needs to start or reach a server. Everything in it is absolute: hosts have another PATH and folder. */
export type HostEntry =
  | { command: string; args: string[]; env?: Record<string, string>; cwd?: string }
  | { url: string; headers?: Record<string, string> }

export interface Attachable {
  name: string
  entry: HostEntry
  /** Secrets the kit needs: they do not go into the entry. */
  secrets: readonly string[]
}

/** The entry for a target, and a name that hosts accept: no dashes, spaces or dots, at most 60 characters. */
export async function entryFor(
  target: Target,
  environment: Readonly<Record<string, string | undefined>>,
): Promise<Attachable> {
  if (target.kind === 'url') {
    const { url, headers } = target
    const entry = headers && Object.keys(headers).length > 0 ? { url, headers: { ...headers } } : { url }
    return { name: hostName(new URL(url).hostname), entry, secrets: [] }
  }
  if (target.kind === 'child') {
    const { command, args } = target.command
    const last = args.at(-1) ?? command
    return {
      name: hostName(last.replace(/^.*[\\/]/, '').replace(/\.[cm]?js$/, '')),
      entry: { command, args: [...args] },
      secrets: [],
    }
  }
  if (target.kind === 'tape') throw problems.tapeAsTarget(shownPath(target.file))
  const kit = await loadKit(target.file)
  const jexo = realpathSync(fileURLToPath(new URL('../../bin/jexo.mjs', import.meta.url)))
  const env = settingsFor(kit, environment)
  const entry = { command: realpathSync(process.execPath), args: [jexo, 'serve', realpathSync(target.file)] }
  return {
    name: hostName(kit.name),
    entry: Object.keys(env).length > 0 ? { ...entry, env } : entry,
    secrets: Object.keys(kit.settings).filter((name) => isNeeded(kit.settings[name], environment[name])),
  }
}

/**
 * The same entry with the relay in between, which writes what passes to a tape. A URL becomes a command, since hosts start
 * commands and nothing has to run beforehand then.
 */
export function relayed(target: Target, { entry }: Attachable, tape: string): HostEntry {
  const jexo = realpathSync(fileURLToPath(new URL('../../bin/jexo.mjs', import.meta.url)))
  const what = target.kind === 'kit' ? [realpathSync(target.file)] : wordsFor(entry)
  const env = 'env' in entry && entry.env ? { env: entry.env } : {}
  return { command: realpathSync(process.execPath), args: [jexo, 'relay', ...what, '--tape', tape], ...env }
}

function wordsFor(entry: HostEntry): string[] {
  if (!('url' in entry)) return [`exec:${quote([entry.command, ...entry.args])}`]
  const headers = Object.entries(entry.headers ?? {})
  return [entry.url, ...headers.flatMap(([name, value]) => ['--header', `${name}: ${value}`])]
}

/** A secret that somebody has to set: one with a default is needed only where the default is not what is used now. */
const isNeeded = (declared: Setting | undefined, value: string | undefined): boolean =>
  declared?.secret === true &&
  ((declared.default === undefined && !declared.optional) || (value !== undefined && value !== ''))

/** Settings that are set here and differ from their default: the host starts with an environment of its own. */
function settingsFor(kit: Kit, environment: Readonly<Record<string, string | undefined>>): Record<string, string> {
  const found: Record<string, string> = {}
  for (const [name, declared] of Object.entries(kit.settings)) {
    const value = environment[name]
    if (value !== undefined && value !== '' && value !== declared.default && !declared.secret) found[name] = value
  }
  return found
}
