import { serveStatic } from '@hono/node-server/serve-static'
import { Hono } from 'hono'
import { streamSSE } from 'hono/streaming'
import { isJexoError } from '../errors.js'
import { isLoopback } from '../transport/http/checks.js'
import type { Bench } from './bench.js'
import { followBench } from './follow.js'
import { slimmed } from './slim.js'
import { tapeRoutes } from './tape-routes.js'
import { targetRoutes } from './target-routes.js'

export interface LoupeParts {
  bench: Bench
  /** Header that the page sends with each request. */
  token: string
  /** Folder of the built page. */
  page: string
}

/** Loupe's backend: the page's files and its API. Accepts only loopback connections with the token of the link. */
export function loupeApp({ bench, token, page }: LoupeParts): Hono {
  const app = new Hono()

  app.use(async (context, next) => {
    const host = (context.req.header('host') ?? '').replace(/:\d+$/, '')
    const origin = context.req.header('origin')
    if (!isLoopback(host)) return context.text('Loupe is available on this machine only.', 403)
    if (origin !== undefined && origin !== `http://${context.req.header('host')}`) {
      return context.text('Loupe does not accept requests from other pages.', 403)
    }
    await next()
    context.header('Content-Security-Policy', `${policy}; frame-src ${bench.viewProxy ?? "'none'"}`)
    context.header('X-Content-Type-Options', 'nosniff')
    context.header('Referrer-Policy', 'no-referrer')
  })

  app.use('/api/*', async (context, next) => {
    const given = context.req.header('x-jexo-token') ?? context.req.query('token')
    if (given !== token) return context.json({ error: 'Open Loupe by the link that the command printed.' }, 401)
    return next()
  })

  app.onError((error, context) => {
    if (isJexoError(error)) return context.json({ error: error.message }, 400)
    if (error instanceof SyntaxError) return context.json({ error: 'The body is not JSON.' }, 400)
    throw error
  })

  app.get('/api/follow', (context) => {
    const after = Number(context.req.header('last-event-id')) || 0
    return streamSSE(context, (stream) => followBench(stream, bench, after))
  })

  app.get('/api/entries/:sequence', (context) => {
    const entry = bench.journal.find(Number(context.req.param('sequence')))
    return entry
      ? context.json(entry.kind === 'http' ? slimmed(entry) : entry)
      : context.json({ error: 'It does not exist, or no longer exists.' }, 404)
  })

  app.route('/api', targetRoutes(bench))
  app.route('/api', tapeRoutes(bench))
  app.get('/*', serveStatic({ root: page }))
  return app
}

/** Only the page's own resources are allowed. Content of servers runs only in the frames of views, which have another origin. The form's validator compiles schemas. */
const policy =
  "default-src 'self'; script-src 'self' 'unsafe-eval'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; media-src 'self' data:; frame-ancestors 'none'; base-uri 'none'"
