import { randomBytes } from 'node:crypto'
import { mkdir, open, readFile, rename, rm, stat, utimes } from 'node:fs/promises'
import { homedir } from 'node:os'
import { dirname, join } from 'node:path'
import { isJexoError } from '../../errors.js'
import { isObject } from '../../protocol/messages.js'
import { accessErrors } from '../errors.js'
import type { KeptSignIn, SignInStore } from './store.js'

/** Where the sign-ins of this person are kept. */
export function signInFile(environment: NodeJS.ProcessEnv = process.env): string {
  const home = environment.XDG_CONFIG_HOME || environment.APPDATA || join(homedir(), '.config')
  return join(home, 'jexo', 'sign-ins.json')
}

/** A lock that nobody has touched for so long is of a process that is gone. */
const staleMs = 10_000
const touchMs = 2000
const waitMs = 320_000

/** Keeps sign-ins in a file for its owner alone. A change is made by one process at a time, so that rotated tokens are not lost. */
export function fileStore(file = signInFile()): SignInStore & { all(): Promise<KeptSignIn[]> } {
  return {
    read: async (resource) => (await readAll(file))[resource],
    all: async () => Object.values(await readAll(file)),
    update: async (resource, change) => {
      const release = await mkdir(dirname(file), { recursive: true, mode: 0o700 })
        .then(() => lock(`${file}.lock`))
        .catch((error) => {
          throw isJexoError(error) ? error : accessErrors.signInsUnreadable(file, error.code ?? String(error))
        })
      try {
        const before = (await readAll(file))[resource]
        const after = await change(before)
        if (after === before) return after
        const { [resource]: _, ...others } = await readAll(file)
        await write(file, after ? { ...others, [resource]: after } : others)
        return after
      } finally {
        await release()
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

async function write(file: string, signIns: Record<string, KeptSignIn>): Promise<void> {
  const draft = `${file}.${randomBytes(9).toString('base64url')}.jexo-draft`
  const handle = await open(draft, 'wx', 0o600)
  try {
    await handle.writeFile(`${JSON.stringify({ version: 1, signIns }, null, 2)}\n`)
    await handle.sync()
  } finally {
    await handle.close()
  }
  await rename(draft, file)
}

/** Waits until nobody else has the lock; returns what gives it up. */
async function lock(path: string): Promise<() => Promise<void>> {
  for (const startedAt = Date.now(); ; ) {
    try {
      await (await open(path, 'wx', 0o600)).close()
      break
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error
      const found = await stat(path).catch(() => undefined)
      if (found && Date.now() - found.mtimeMs > staleMs) await rm(path, { force: true })
      else if (Date.now() - startedAt > waitMs)
        throw accessErrors.signInsUnreadable(path, 'another process holds it')
      else await new Promise((resolve) => setTimeout(resolve, 100))
    }
  }
  const touch = setInterval(() => void utimes(path, new Date(), new Date()).catch(() => {}), touchMs)
  touch.unref()
  return async () => {
    clearInterval(touch)
    await rm(path, { force: true })
  }
}
