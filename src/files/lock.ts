import { open, rm, stat, utimes } from 'node:fs/promises'

/** A lock that has not been renewed for this long belongs to a process that has ended. */
const staleMs = 10_000
const touchMs = 2000
const waitMs = 320_000

/**
 * Runs a function while no other process runs one for the same file. Waits for the current holder of the lock; a killed
 * process delays others only briefly. Rejects with an `Error` if the lock cannot be acquired.
 */
export async function whileLocked<T>(file: string, run: () => Promise<T>): Promise<T> {
  const release = await lock(`${file}.lock`)
  try {
    return await run()
  } finally {
    await release()
  }
}

/** Waits for the lock; returns a function that releases it. */
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
