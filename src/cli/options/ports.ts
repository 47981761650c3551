import { isJexoError } from '../../errors.js'
import { say } from '../terminal/output.js'

const mostTries = 20

/** Starts a service at the requested port; if it is taken, reports that and uses the next free one. */
export async function onFreePort<T>(wanted: number, start: (port: number) => Promise<T>): Promise<T> {
  for (let port = wanted; ; port++) {
    try {
      return await start(port)
    } catch (error) {
      if (!isTaken(error) || port >= wanted + mostTries) throw error
      say(`Port ${port} is in use; trying ${port + 1}.`)
    }
  }
}

/** The error of Jexo, or of Node itself. */
const isTaken = (error: unknown): boolean =>
  isJexoError(error) ? error.code === 'port-taken' : (error as { code?: unknown } | null)?.code === 'EADDRINUSE'
