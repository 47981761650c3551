import { serve } from '@hono/node-server'
import { openGraph } from './graph.ts'

/** Serves the GraphQL endpoint. Rejects if the port is taken. */
export function serveGraph(port: number): Promise<{ url: string; close(): Promise<void> }> {
  return new Promise((resolve, reject) => {
    const server = serve({ fetch: openGraph(), hostname: '127.0.0.1', port }, (address) => {
      const close = () => new Promise<void>((done) => server.close(() => done()))
      resolve({ url: `http://127.0.0.1:${address.port}/graphql`, close })
    })
    server.once('error', reject)
  })
}
