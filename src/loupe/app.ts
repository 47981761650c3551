import { serveStatic } from '@hono/node-server/serve-static'
import { Hono } from 'hono'
import { streamSSE } from 'hono/streaming'
import { isObject } from '../protocol/messages.js'
import { isLoopback } from '../transport/http/checks.js'
import type { Connection } from './connection.js'
import type { Journal } from './journal.js'

export interface LoupeParts {
  connections: readonly Connection[]
  journal: Journal
  /** Calls the listener when what is known of a target has changed. */
  onTargets(listener: () => void): () => void
  /** What the page has to send with each request. */
  token: string
  /** Folder of the built page. */
  page: string
}

/** Loupe's backend: the page's files, and what the page asks. Loopback only, and only with the token of the link. */
export function loupeApp({ connections, journal, onTargets, token, page }: LoupeParts): Hono {
  const app = new Hono()

  app.use(async (context, next) => {
    const host = (context.req.header('host') ?? '').replace(/:\d+$/, '')
    const origin = context.req.header('origin')
    if (!isLoopback(host)) return context.text('Loupe answers on this machine only.', 403)
    if (origin !== undefined && origin !== `http://${context.req.header('host')}`) {
      return context.text('Loupe is not for other pages.', 403)
    }
    await next()
    context.header('Content-Security-Policy', policy)
    context.header('X-Content-Type-Options', 'nosniff')
    context.header('Referrer-Policy', 'no-referrer')
  })

  app.use('/api/*', async (context, next) => {
    const given = context.req.header('x-jexo-token') ?? context.req.query('token')
    if (given !== token) return context.json({ error: 'Open Loupe by the link that the command printed.' }, 401)
    return next()
  })

  app.get('/api/targets', (context) => context.json(connections.map(({ view }) => view)))

  app.get('/api/journal', (context) =>
    streamSSE(context, async (stream) => {
      const after = Number(context.req.header('last-event-id') ?? 0)
      const send = (entry: { sequence: number }) =>
        void stream.writeSSE({ event: 'entry', id: String(entry.sequence), data: JSON.stringify(entry) })
      const sendTargets = () =>
        void stream.writeSSE({ event: 'targets', data: JSON.stringify(connections.map(({ view }) => view)) })
      for (const entry of journal.after(after)) send(entry)
      sendTargets()
      const stops = [journal.listen(send), onTargets(sendTargets)]
      await new Promise<void>((resolve) => stream.onAbort(resolve))
      for (const stop of stops) stop()
    }),
  )

  app.post('/api/targets/:id/ask', async (context) => {
    const connection = connections.find(({ id }) => id === context.req.param('id'))
    const body: unknown = await context.req.json()
    if (!connection)
      return context.json({ error: { code: 'unknown-target', message: 'There is no such target.' } }, 404)
    if (!isObject(body) || typeof body.method !== 'string' || typeof body.key !== 'string') {
      return context.json({ error: { code: 'bad-request', message: 'method and key are needed.' } }, 400)
    }
    return context.json(await connection.ask(body.key, body.method, isObject(body.params) ? body.params : {}))
  })

  app.post('/api/targets/:id/cancel', async (context) => {
    const body: unknown = await context.req.json()
    if (isObject(body)) connections.find(({ id }) => id === context.req.param('id'))?.cancel(String(body.key))
    return context.body(null, 204)
  })

  app.post('/api/targets/:id/reopen', async (context) => {
    await connections.find(({ id }) => id === context.req.param('id'))?.open()
    return context.body(null, 204)
  })

  app.get('/*', serveStatic({ root: page }))
  return app
}

/** Nothing from elsewhere, and nothing that a server sends is ever run. The form's validator compiles schemas. */
const policy =
  "default-src 'self'; script-src 'self' 'unsafe-eval'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; media-src 'self' data:; frame-ancestors 'none'; base-uri 'none'"
