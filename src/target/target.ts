import { existsSync, statSync } from 'node:fs'
import { open } from 'node:fs/promises'
import { dirname, join, resolve } from 'node:path'
import { parse as parseWords } from 'shell-quote'
import { readConfigEntry } from '../host-config/config-file.js'
import { kitErrors } from '../kit/errors.js'
import type { Kit } from '../kit/kit.js'
import { takeEnvironmentFile } from '../kit-file/dot-env.js'
import { atFile, loadKit, shownPath } from '../kit-file/kit-file.js'
import { Link } from '../link/link.js'
import { packedMark } from '../packed-file/mark.js'
import type { ChildCommand } from '../transport/child-wire.js'
import { transportErrors } from '../transport/errors.js'
import type { NodeConnectOptions } from '../transport/node-connect.js'
import { targetErrors } from './errors.js'

/** The target of a command. */
export type Target =
  | { kind: 'kit'; file: string; env?: Readonly<Record<string, string>> }
  | { kind: 'url'; url: string; headers?: Readonly<Record<string, string>> }
  | { kind: 'child'; command: ChildCommand }
  | { kind: 'tape'; file: string }

export interface TargetOptions {
  /** Added to the environment of a kit or a child process. */
  env?: Readonly<Record<string, string>>
  /** Working folder of a child process. */
  cwd?: string
  headers?: Readonly<Record<string, string>>
  /** Loads a kit and its imports again. */
  isAgain?: boolean
  /** Runs a kit in a separate process, so that it cannot end this one. */
  keepsKitApart?: boolean
  /** Runs a kit without its layers; other targets cannot. */
  withoutLayers?: boolean
}

/** Suffix of the names of tapes. */
export const tapeSuffix = '.tape.jsonl'

/** Reads a target as typed: a kit file, a URL, `exec:<command line>`, `<host config file>#<entry>`, or a tape. */
export async function readTarget(text: string, options: TargetOptions = {}): Promise<Target> {
  if (/^https?:\/\//.test(text)) {
    if (!URL.canParse(text)) throw transportErrors.targetUnknown(text)
    return { kind: 'url', url: text, ...(options.headers ? { headers: options.headers } : {}) }
  }
  if (text.startsWith('exec:'))
    return { kind: 'child', command: withOptions(readCommandLine(text.slice(5)), options) }
  if (text.endsWith(tapeSuffix)) return { kind: 'tape', file: resolve(text) }
  const hash = text.lastIndexOf('#')
  if (hash > 0 && !existsSync(text)) return configTarget(text.slice(0, hash), text.slice(hash + 1), options)
  if (!/\.[cm]?[jt]sx?$/.test(text) && !existsSync(text)) throw transportErrors.targetUnknown(text)
  const file = resolve(text)
  const begin = await beginningOf(file)
  if (/^\{"version":\d+,"kind":"tape"/.test(begin)) return { kind: 'tape', file }
  if (begin.includes(packedMark))
    return { kind: 'child', command: withOptions({ command: process.execPath, args: [file] }, options) }
  return { kind: 'kit', file, ...(options.env ? { env: options.env } : {}) }
}

/**
 * Opens a link to a target. A kit runs in this process unless `keepsKitApart` is set. Lines that a child writes to stderr go to `onStderr`. Servers list
 * their views and the tools for pages, unless `views` is false.
 */
export async function openTarget(
  target: Target,
  given: NodeConnectOptions & TargetOptions = {},
): Promise<{ link: Link; kit?: Kit }> {
  const options = { views: true, ...given }
  if (options.withoutLayers && target.kind !== 'kit') throw targetErrors.layersElsewhere(labelOf(target))
  if (target.kind === 'kit' && options.keepsKitApart) {
    const { KitProcessWire } = await import('./kit-process/wire.js')
    await takeEnvironmentFile(join(dirname(target.file), '.env'))
    const showsUpstream = options.onUpstream !== undefined
    const wire = new KitProcessWire(target.file, {
      ...options,
      showsUpstream,
      withoutLayers: options.withoutLayers === true,
      env: { ...target.env, ...options.env },
    })
    return { link: await Link.open(wire, options) }
  }
  if (target.kind === 'tape') throw targetErrors.tapeAsTarget(shownPath(target.file))
  // Not needed for a kit in a separate process, as most commands use.
  const { connectOnNode } = await import('../transport/node-connect.js')
  if (target.kind === 'kit') {
    const kit = await loadKit(target.file, options.isAgain)
    const environment = { ...process.env, ...target.env, ...options.env }
    return { link: await atFile(target.file, () => connectOnNode(kit, { ...options, environment })), kit }
  }
  if (target.kind === 'child') return { link: await connectOnNode(target.command, options) }
  const headers = { ...target.headers, ...options.headers }
  const { hasOwnToken, keptSignIn } = await import('../access/sign-in/kept-sign-in.js')
  // Every command that names the URL uses the tokens of `jexo sign-in`.
  const { signIn = keptSignIn(), ...others } = options
  const own = hasOwnToken(headers) ? {} : { signIn }
  return { link: await connectOnNode(target.url, { ...others, headers, ...own }) }
}

/** The label of a target in output. */
export function labelOf(target: Target): string {
  if (target.kind === 'kit' || target.kind === 'tape') return shownPath(target.file)
  return target.kind === 'url' ? target.url : [target.command.command, ...target.command.args].join(' ')
}

async function configTarget(file: string, entry: string, options: TargetOptions): Promise<Target> {
  const found = await readConfigEntry(file, entry)
  if ('url' in found) return { kind: 'url', url: found.url, headers: { ...found.headers, ...options.headers } }
  return { kind: 'child', command: withOptions(found, options) }
}

function withOptions(command: ChildCommand, options: TargetOptions): ChildCommand {
  const cwd = options.cwd ?? command.cwd
  return {
    ...command,
    env: { ...process.env, ...command.env, ...options.env },
    ...(cwd === undefined ? {} : { cwd }),
  }
}

/** The words of a command line, as a shell would split them; nothing is expanded or executed. Throws a `JexoError` for more than one command. */
export function readCommandLine(line: string): ChildCommand & { args: readonly string[] } {
  const words = parseWords(line, (name) => `$${name}`).map((word) => {
    if (typeof word === 'string') return word
    if ('pattern' in word) return word.pattern
    throw kitErrors.argumentUnreadable(`exec:${line}`, 'one command with its arguments; no shell runs it')
  })
  const [command, ...args] = words
  if (command === undefined) throw transportErrors.targetUnknown(`exec:${line}`)
  return { command, args }
}

/** The first bytes of a file, which identify tapes and packed files. Rejects with a `JexoError` if it cannot be read. */
async function beginningOf(file: string): Promise<string> {
  // Opening a pipe would wait for its writer.
  if (!statSync(file, { throwIfNoEntry: false })?.isFile()) return ''
  try {
    const handle = await open(file)
    const { buffer, bytesRead } = await handle.read(Buffer.alloc(256), 0, 256, 0).finally(() => handle.close())
    return buffer.subarray(0, bytesRead).toString()
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException
    throw targetErrors.fileUnreadable(shownPath(file), code ?? message)
  }
}
