import { isJexoError } from '../errors.js'
import { say } from './output.js'

const mostTries = 20

/** Starts something at the wanted port, or says that the port is taken and uses the next free one. */
export async function onFreePort<T>(wanted: number, start: (port: number) => Promise<T>): Promise<T> {
  for (let port = wanted; ; port++) {
    try {
      return await start(port)
    } catch (error) {
      if (!isJexoError(error) || error.code !== 'port-taken' || port >= wanted + mostTries) throw error
      say(`Port ${port} is in use; trying ${port + 1}.`)
    }
  }
}
