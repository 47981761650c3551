import { spawn } from 'node:child_process'
import { browserSignIn } from '../../access/sign-in/browser-sign-in.js'
import { fileStore } from '../../access/sign-in/file-store.js'
import type { SignIn } from '../../access/sign-in/sign-in.js'
import { say } from '../terminal/output.js'

export interface CommandSignInOptions {
  clientId?: string
  scopes?: readonly string[]
  /** A person can be asked now. */
  mayAsk: boolean
}

/** How commands sign in to a URL: with what is kept; and with the person's browser, where somebody is there. */
export function commandSignIn({ clientId, scopes, mayAsk }: CommandSignInOptions): SignIn {
  return browserSignIn({
    store: fileStore(),
    clientName: 'Jexo',
    ...(clientId === undefined ? {} : { clientId }),
    ...(scopes === undefined || scopes.length === 0 ? {} : { scopes }),
    ...(mayAsk
      ? {
          open: (url: URL) => {
            say(`Sign in here; the command goes on when you are done:\n  ${url.href}`)
            openBrowser(url)
          },
        }
      : {}),
  })
}

/** A person is there who can open a page. */
export const isPersonThere = (): boolean => process.stdin.isTTY === true && process.stderr.isTTY === true

const openers: Readonly<Record<string, readonly string[]>> = {
  darwin: ['open'],
  win32: ['rundll32', 'url.dll,FileProtocolHandler'],
}

/** Where there is no browser, the address that was printed has to do. */
function openBrowser(url: URL): void {
  const [command = '', ...args] = openers[process.platform] ?? ['xdg-open']
  const child = spawn(command, [...args, url.href], { stdio: 'ignore', detached: true })
  child.on('error', () => {})
  child.unref()
}
