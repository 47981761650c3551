import { spawn } from 'node:child_process'
import { browserSignIn } from '../../access/sign-in/browser-sign-in.js'
import { type DeviceCode, deviceSignIn } from '../../access/sign-in/device-sign-in.js'
import { fileStore } from '../../access/sign-in/file-store.js'
import type { SignIn } from '../../access/sign-in/sign-in.js'
import type { OnSignInStep } from '../../access/sign-in/steps.js'
import type { SignInStore } from '../../access/sign-in/store.js'
import { say } from '../terminal/output.js'

export interface CommandSignInOptions {
  clientId?: string | undefined
  scopes?: readonly string[]
  /** True if the user can be asked now. */
  mayAsk: boolean
  /** True if the user has a browser only on another device. */
  onDevice?: boolean | undefined
  onStep?: OnSignInStep | undefined
  /** Storage of tokens. Default: the user's file. */
  store?: SignInStore
}

/** Sign-in of commands: with stored tokens, or with the browser in an interactive session. */
export function commandSignIn({
  clientId,
  scopes,
  mayAsk,
  onDevice,
  onStep,
  store = fileStore(),
}: CommandSignInOptions): SignIn {
  const options = {
    store,
    clientName: 'Jexo',
    ...(clientId === undefined ? {} : { clientId }),
    ...(scopes === undefined || scopes.length === 0 ? {} : { scopes }),
    ...(onStep ? { onStep } : {}),
  }
  if (mayAsk && onDevice) return deviceSignIn({ ...options, show: showCode })
  return browserSignIn(mayAsk ? { ...options, open: showPage } : options)
}

function showPage(url: URL): void {
  say(`Sign in here; the command goes on when you are done:\n  ${url.href}`)
  openBrowser(url)
}

function showCode({ url, code, completeUrl, expiresInMs }: DeviceCode): void {
  const direct = completeUrl === undefined ? '' : `\nor open: ${completeUrl}`
  const minutes = Math.max(1, Math.round(expiresInMs / 60_000))
  say(
    `On any device, open ${url} and type the code ${code}${direct}\nThe code is valid for ${minutes} ${minutes === 1 ? 'minute' : 'minutes'}.`,
  )
}

/** True in an interactive session. */
export const isPersonThere = (): boolean => process.stdin.isTTY === true && process.stderr.isTTY === true

const openers: Readonly<Record<string, readonly string[]>> = {
  darwin: ['open'],
  win32: ['rundll32', 'url.dll,FileProtocolHandler'],
}

/** Without a browser, the printed address must be sufficient. */
function openBrowser(url: URL): void {
  const [command = '', ...args] = openers[process.platform] ?? ['xdg-open']
  const child = spawn(command, [...args, url.href], { stdio: 'ignore', detached: true })
  child.on('error', () => {})
  child.unref()
}
