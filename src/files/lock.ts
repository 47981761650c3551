import { open, rm, stat, utimes } from 'node:fs/promises'

/** A lock that nobody has touched for so long is of a process that is gone. */
const staleMs = 10_000
const touchMs = 2000
const waitMs = 320_000

/**
 * Does something while no other process does the same with a file. Waits for whoever does; a process that was killed holds nobody up for long.
 * Rejects with an `Error` where the lock cannot be had.
 */
export async function whileLocked<T>(file: string, run: () => Promise<T>): Promise<T> {
  const release = await lock(`${file}.lock`)
  try {
    return await run()
  } finally {
    await release()
  }
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
      else if (Date.now() - startedAt > waitMs) throw new Error('another process holds its lock')
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
