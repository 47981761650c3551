import { mkdir, readFile } from 'node:fs/promises'
import { homedir } from 'node:os'
import { dirname, join } from 'node:path'
import { isJexoError } from '../../errors.js'
import { whileLocked } from '../../files/lock.js'
import { replaceFile } from '../../files/replace-file.js'
import { isObject } from '../../protocol/messages.js'
import { accessErrors } from '../errors.js'
import type { KeptSignIn, SignInStore } from './store.js'

/** The file with the user's sign-ins. */
export function signInFile(environment: NodeJS.ProcessEnv = process.env): string {
  const home = environment.XDG_CONFIG_HOME || environment.APPDATA || join(homedir(), '.config')
  return join(home, 'jexo', 'sign-ins.json')
}

/**
 * Stores sign-ins in a file that only its owner can read. One process at a time changes it, so that rotated tokens are
 * not lost.
 */
export function fileStore(file = signInFile()): SignInStore & { all(): Promise<KeptSignIn[]> } {
  return {
    read: async (resource) => (await readAll(file))[resource],
    all: async () => Object.values(await readAll(file)),
    update: async (resource, change) => {
      const changed = async () => {
        const before = (await readAll(file))[resource]
        const after = await change(before)
        if (after === before) return after
        const { [resource]: _, ...others } = await readAll(file)
        const signIns = after ? { ...others, [resource]: after } : others
        await replaceFile(file, `${JSON.stringify({ version: 1, signIns }, null, 2)}\n`)
        return after
      }
      try {
        await mkdir(dirname(file), { recursive: true, mode: 0o700 })
        return await whileLocked(file, changed)
      } catch (error) {
        const { code, message } = error as NodeJS.ErrnoException
        throw isJexoError(error) ? error : accessErrors.signInsUnreadable(file, code ?? message)
      }
    },
  }
}

async function readAll(file: string): Promise<Record<string, KeptSignIn>> {
  let text: string
  try {
    text = await readFile(file, 'utf8')
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException
    if (code === 'ENOENT') return {}
    throw accessErrors.signInsUnreadable(file, code ?? String(error))
  }
  try {
    const value: unknown = JSON.parse(text)
    if (!isObject(value) || value.version !== 1 || !isObject(value.signIns))
      throw new Error('it has no "version": 1 and "signIns"')
    return Object.fromEntries(
      Object.entries(value.signIns).filter((pair): pair is [string, KeptSignIn] => isKept(pair[1])),
    )
  } catch (error) {
    throw accessErrors.signInsUnreadable(file, (error as Error).message)
  }
}

const isKept = (value: unknown): value is KeptSignIn =>
  isObject(value) &&
  ['accessToken', 'resource', 'issuer', 'clientId'].every((name) => typeof value[name] === 'string') &&
  Array.isArray(value.scopes)
