import { randomBytes } from 'node:crypto'
import { existsSync } from 'node:fs'
import type { AddressInfo } from 'node:net'
import { relative } from 'node:path'
import { fileURLToPath } from 'node:url'
import { createAdaptorServer } from '@hono/node-server'
import { problems } from '../errors.js'
import type { Target } from '../target/target.js'
import { loupeApp } from './app.js'
import { Connection } from './connection.js'
import { Journal } from './journal.js'

export interface LoupeService {
  /** The link to open, with the token in it. */
  readonly url: string
  close(): Promise<void>
}

/** Starts the inspector page for some targets, on this machine only. Rejects where the port is taken. */
export async function startLoupe(targets: readonly Target[], port = 4871): Promise<LoupeService> {
  const page = fileURLToPath(new URL('./page', import.meta.url))
  if (!existsSync(page)) throw problems.pageNotBuilt(page)
  const journal = new Journal()
  const listeners = new Set<() => void>()
  const changed = () => {
    for (const listener of listeners) listener()
  }
  const connections = targets.map((target, index) => new Connection(`t${index + 1}`, target, journal, changed))
  const token = randomBytes(18).toString('base64url')
  const onTargets = (listener: () => void) => {
    listeners.add(listener)
    return () => listeners.delete(listener)
  }
  const app = loupeApp({ connections, journal, onTargets, token, page: relative(process.cwd(), page) || '.' })
  const server = createAdaptorServer({ fetch: app.fetch })
  await new Promise<void>((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(error.code === 'EADDRINUSE' ? problems.portTaken('127.0.0.1', port) : error),
    )
    server.listen(port, '127.0.0.1', resolve)
  })
  for (const connection of connections) void connection.open()
  const { port: taken } = server.address() as AddressInfo
  return {
    url: `http://127.0.0.1:${taken}/?token=${token}`,
    close: async () => {
      await Promise.all(connections.map((connection) => connection.close()))
      const closed = new Promise((resolve) => server.close(resolve))
      if ('closeAllConnections' in server) server.closeAllConnections()
      await closed
    },
  }
}
