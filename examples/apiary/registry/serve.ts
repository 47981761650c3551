import { serve } from '@hono/node-server'
import { demoKey, openRegistry } from './app.ts'

/** Serves the registry. Rejects if the port is taken. */
export function serveRegistry(port: number): Promise<{ url: string; key: string; close(): Promise<void> }> {
  return new Promise((resolve, reject) => {
    const server = serve({ fetch: openRegistry(), hostname: '127.0.0.1', port }, (address) => {
      const close = () => new Promise<void>((done) => server.close(() => done()))
      resolve({ url: `http://127.0.0.1:${address.port}`, key: demoKey, close })
    })
    server.once('error', reject)
  })
}
