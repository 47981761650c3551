import { browserSignIn } from './browser-sign-in.js'
import { fileStore } from './file-store.js'
import type { SignIn } from './sign-in.js'

/** Sends and refreshes the tokens that `jexo sign-in` stores, without asking the user. */
export const keptSignIn = (): SignIn => browserSignIn({ store: fileStore() })

/** True for headers that contain a token. */
export const hasOwnToken = (headers: Readonly<Record<string, string>>): boolean =>
  Object.keys(headers).some((name) => name.toLowerCase() === 'authorization')
