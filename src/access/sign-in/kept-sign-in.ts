import { browserSignIn } from './browser-sign-in.js'
import { fileStore } from './file-store.js'
import type { SignIn } from './sign-in.js'

/** Sends the tokens that `jexo sign-in` keeps, and refreshes them; asks nobody. */
export const keptSignIn = (): SignIn => browserSignIn({ store: fileStore() })

/** True for headers with a token of their own. */
export const hasOwnToken = (headers: Readonly<Record<string, string>>): boolean =>
  Object.keys(headers).some((name) => name.toLowerCase() === 'authorization')
