import { timingSafeEqual } from 'node:crypto'
import { readFile } from 'node:fs/promises'
import { createServer } from 'node:http'
import { extname, join, normalize } from 'node:path'
import { fileURLToPath } from 'node:url'
import { getRequestListener } from '@hono/node-server'
import { type Context, Hono } from 'hono'
import { streamSSE } from 'hono/streaming'
import { serveViewProxy } from 'jexo/host'
import { pageRoutes } from './page-routes.ts'
import type { Room } from './room.ts'

const page = fileURLToPath(new URL('../page/', import.meta.url))
const types: Record<string, string> = {
  '.html': 'text/html; charset=utf-8',
  '.js': 'text/javascript',
  '.css': 'text/css',
  '.svg': 'image/svg+xml',
}

/** Serves the page and its API, on this machine only. */
export async function serveRoom(room: Room, port: number): Promise<{ url: string; close(): Promise<void> }> {
  const server = createServer(getRequestListener(routesOf(room).fetch))
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject)
    server.listen(port, '127.0.0.1', resolve)
  })
  const { port: open } = server.address() as { port: number }
  const proxy = await serveViewProxy({ hostOrigins: [`http://127.0.0.1:${open}`, `http://localhost:${open}`] })
  room.viewProxy = proxy.url
  return {
    url: `http://127.0.0.1:${open}/?key=${room.key}`,
    close: async () => {
      server.closeAllConnections()
      await proxy.close()
      await new Promise((resolve) => server.close(resolve))
    },
  }
}

function routesOf(room: Room): Hono {
  const app = new Hono()
  // Refuses requests of other pages, whichever host name they use for this machine.
  app.use(async (context, next) => {
    const host = (context.req.header('host') ?? '').replace(/:\d+$/, '')
    const origin = context.req.header('origin')
    if (host !== '127.0.0.1' && host !== 'localhost')
      return context.text('This room is available on this machine only.', 403)
    if (origin !== undefined && origin !== `http://${context.req.header('host')}`)
      return context.text('This room does not accept requests from other pages.', 403)
    await next()
    context.header('Content-Security-Policy', `${policy}; frame-src ${room.viewProxy ?? "'none'"}`)
    context.header('X-Content-Type-Options', 'nosniff')
    context.header('Referrer-Policy', 'no-referrer')
    context.header('Cache-Control', 'no-store')
  })
  app.use('/api/*', async (context, next) => {
    const key = context.req.header('x-room-key') ?? context.req.query('key') ?? ''
    if (!isSame(key, room.key))
      return context.json({ error: 'Open the room by the address that the command printed.' }, 403)
    return next()
  })
  app.onError((error, context) => context.json({ error: error.message }, 400))

  app.get('/api/events', (context) =>
    streamSSE(context, async (stream) => {
      const stop = room.listen((event) => void stream.writeSSE({ data: JSON.stringify(event) }))
      await new Promise<void>((resolve) => stream.onAbort(resolve))
      stop()
    }),
  )
  app.post('/api/servers', async (context) => {
    const { text } = await bodyOf(context)
    await room.attach(String(text ?? ''))
    return context.json({})
  })
  app.post('/api/confirm', async (context) => {
    await room.confirm((await bodyOf(context)).isConfirmed === true)
    return context.json({})
  })
  app.post('/api/servers/:id/:verb', async (context) => {
    const { id, verb } = context.req.param()
    const { tool, isOn } = await bodyOf(context)
    if (verb === 'detach') await room.detach(id)
    else if (verb === 'reopen') await room.reopen(id)
    else if (verb === 'switch') room.switch(id, isOn === true, typeof tool === 'string' ? tool : undefined)
    else return context.json({ error: `there is no ${verb}` }, 404)
    return context.json({})
  })
  app.post('/api/say', async (context) => {
    const { text, attached } = await bodyOf(context)
    const isTaken = room.say(String(text ?? ''), Array.isArray(attached) ? attached : [])
    return isTaken ? context.json({}) : context.json({ error: 'The model is still working.' }, 409)
  })
  app.post('/api/steps/:id/:verb', async (context) => {
    const { verb } = context.req.param()
    const id = Number(context.req.param('id'))
    const body = await bodyOf(context)
    const { conversation } = room
    const isDone =
      verb === 'decide'
        ? conversation.decide(id, body.decision as never, body.arguments as never)
        : verb === 'cancel'
          ? conversation.cancel(id)
          : verb === 'answer'
            ? conversation.answer(id, body.answer as never)
            : verb === 'model' && conversation.decideModelRequest(id, body.isAllowed === true)
    return isDone ? context.json({}) : context.json({ error: 'It has already ended.' }, 409)
  })
  app.get('/api/steps/:id', (context) => {
    const step = room.whole(Number(context.req.param('id')))
    return step ? context.json(step) : context.json({ error: 'It is no longer available.' }, 404)
  })
  app.route('/api/steps', pageRoutes(room))
  app.get('/api/functions', (context) => context.json(room.functions()))
  app.post('/api/stop', (context) => {
    room.conversation.stop()
    return context.json({})
  })
  app.post('/api/clear', (context) => {
    room.clear()
    return context.json({})
  })
  app.post('/api/read', async (context) => {
    const { server, uri } = await bodyOf(context)
    return context.json(await room.read(String(server), String(uri)))
  })
  app.post('/api/fill', async (context) => {
    const { server, prompt, args } = await bodyOf(context)
    return context.json(await room.fill(String(server), String(prompt), (args ?? {}) as Record<string, string>))
  })
  app.post('/api/complete', async (context) => {
    const { server, of, name, value, filled } = await bodyOf(context)
    const found = await room.complete(
      String(server),
      of as never,
      String(name),
      String(value),
      (filled ?? {}) as Record<string, string>,
    )
    return context.json(found)
  })
  app.get('*', fileAt)
  return app
}

export async function bodyOf(context: Context): Promise<Record<string, unknown>> {
  const body: unknown = await context.req.json().catch(() => ({}))
  return typeof body === 'object' && body !== null ? (body as Record<string, unknown>) : {}
}

const isSame = (given: string, wanted: string): boolean =>
  given.length === wanted.length && timingSafeEqual(Buffer.from(given), Buffer.from(wanted))

/** Allows nothing from other origins, and no embedding. The validator of the forms compiles schemas. */
const policy =
  "default-src 'self'; script-src 'self' 'unsafe-eval'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'none'"

async function fileAt(context: Context): Promise<Response> {
  const path = normalize(decodeURIComponent(new URL(context.req.url).pathname))
  const file = join(page, path === '/' ? 'index.html' : path)
  const bytes = file.startsWith(page) ? await readFile(file).catch(() => undefined) : undefined
  if (!bytes) return context.text('Not found.', 404)
  const type = types[extname(file)] ?? 'application/octet-stream'
  return context.body(new Uint8Array(bytes), 200, { 'content-type': type })
}
