import { existsSync } from 'node:fs'
import { basename } from 'node:path'
import { browserSignIn } from '../access/sign-in/browser-sign-in.js'
import { fileStore } from '../access/sign-in/file-store.js'
import type { SignIn } from '../access/sign-in/sign-in.js'
import { readConfigEntries } from '../host-config/config-file.js'
import { commandOf } from '../target/command-of.js'
import { openTarget, readTarget } from '../target/target.js'
import { connectOnNode } from '../transport/node-connect.js'
import type { OpenLink } from './host.js'

export interface NamedOpener {
  id: string
  open: OpenLink
  /** The command line that opening it runs on this machine; undefined for a server that runs elsewhere. */
  starts?: string
}

export interface OpenersOptions {
  /** Time limit of a request, in milliseconds. Default: 60,000. */
  timeoutMs?: number
  /**
   * Shows the user the page to sign in to a server; called without a page when the sign-in is over. Without this
   * function, a server that requires a sign-in uses the tokens of `jexo sign-in`, or is down.
   */
  onSignIn?: (server: string, page: URL | undefined) => void
}

/**
 * Returns functions that open the servers of a target: a kit file, a URL, `exec:<command line>`, `<host config
 * file>#<entry>`, or all entries of a host's configuration file. A kit is started as a host would start it. Rejects
 * with a `JexoError` if the text names none of these, or the file cannot be read.
 */
export async function openersFor(
  text: string,
  { timeoutMs = 60_000, onSignIn }: OpenersOptions = {},
): Promise<NamedOpener[]> {
  if (/\.(json|jsonc|toml|ya?ml)$/.test(text) && existsSync(text)) {
    const entries = Object.entries(await readConfigEntries(text))
    return entries.map(([id, entry]) => ({
      id,
      ...('url' in entry ? {} : { starts: lineOf(entry) }),
      open: (options) =>
        'url' in entry
          ? openTarget(
              { kind: 'url', url: entry.url, ...(entry.headers ? { headers: entry.headers } : {}) },
              { timeoutMs, ...options, ...signInFor(id, onSignIn) },
            ).then(({ link }) => link)
          : connectOnNode(entry, { timeoutMs, ...options, onStderr: () => {} }),
    }))
  }
  const target = await readTarget(text)
  const started = target.kind === 'kit' ? { kind: 'child' as const, command: commandOf(target) } : target
  const id = idOf(text)
  const signIn = started.kind === 'url' ? signInFor(id, onSignIn) : {}
  const open: OpenLink = async (options) =>
    (await openTarget(started, { timeoutMs, ...options, ...signIn, onStderr: () => {} })).link
  return [{ id, open, ...(started.kind === 'child' ? { starts: lineOf(started.command) } : {}) }]
}

function signInFor(id: string, onSignIn: OpenersOptions['onSignIn']): { signIn?: SignIn } {
  if (!onSignIn) return {}
  return {
    signIn: browserSignIn({
      store: fileStore(),
      open: (page) => onSignIn(id, page),
      onStep: ({ stage }) => stage === 'authorization' && onSignIn(id, undefined),
    }),
  }
}

const lineOf = ({ command, args }: { command: string; args: readonly string[] }) => [command, ...args].join(' ')

const idOf = (text: string): string => {
  if (/^https?:/.test(text)) return new URL(text).host
  if (text.includes('#')) return text.slice(text.lastIndexOf('#') + 1)
  return basename(
    text
      .replace(/^exec:/, '')
      .split(' ')
      .at(-1) ?? text,
  ).replace(/(\.kit)?\.[cm]?[jt]sx?$/, '')
}
