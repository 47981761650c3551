import { Hono } from 'hono'
import { readConfigEntries } from '../host-config/config-file.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { readTarget, type TargetOptions } from '../target/target.js'
import type { Bench } from './bench.js'
import { startOf } from './bench.js'
import { readClientSide } from './client-side.js'
import type { Connection } from './connection.js'
import { copiesOf } from './copies.js'

/** Routes for targets: adds and opens them, sends requests and replies. */
export function targetRoutes(bench: Bench): Hono {
  const app = new Hono()
  const find = (id: string): Connection | undefined => bench.connections.find((connection) => connection.id === id)
  const unknown = { error: 'There is no such target.' }

  /** Commands are started only with `confirmed`; otherwise the response contains the command for the user to confirm. */
  app.post('/targets', async (context) => {
    const body: unknown = await context.req.json()
    if (!isObject(body) || typeof body.text !== 'string' || body.text.trim() === '')
      return context.json({ error: 'A target is required.' }, 400)
    const target = await readTarget(body.text.trim(), optionsIn(body))
    if (target.kind === 'tape') {
      await bench.openTape(target.file, body.isLive === true)
      return context.json({})
    }
    const starts = startOf(target)
    if (starts && body.confirmed !== true) return context.json({ starts })
    return context.json({ id: bench.add(target).id })
  })

  app.delete('/targets/:id', async (context) => {
    await bench.remove(context.req.param('id'))
    return context.body(null, 204)
  })

  app.get('/targets/:id/catalogue', (context) => {
    const found = find(context.req.param('id'))
    return found ? context.json(found.catalogue) : context.json(unknown, 404)
  })

  app.post('/targets/:id/ask', async (context) => {
    const connection = find(context.req.param('id'))
    const body: unknown = await context.req.json()
    if (!connection)
      return context.json({ error: { code: 'unknown-target', message: 'There is no such target.' } }, 404)
    if (!isObject(body) || typeof body.method !== 'string' || typeof body.key !== 'string') {
      return context.json({ error: { code: 'bad-request', message: 'method and key are required.' } }, 400)
    }
    return context.json(await connection.ask(body.key, body.method, isObject(body.params) ? body.params : {}))
  })

  app.post('/targets/:id/page', async (context) => {
    const connection = find(context.req.param('id'))
    const body: unknown = await context.req.json()
    if (!connection || !isObject(body) || !Array.isArray(body.messages)) return context.json(unknown, 404)
    const view = String(body.view).slice(0, 2000)
    for (const entry of body.messages.slice(0, 1000)) {
      if (!isObject(entry) || !isObject(entry.message)) continue
      connection.hearPage(view, entry.from === 'host' ? 'host' : 'page', entry.message)
    }
    return context.body(null, 204)
  })

  app.post('/targets/:id/cancel', async (context) => {
    const body: unknown = await context.req.json()
    if (isObject(body)) find(context.req.param('id'))?.cancel(String(body.key))
    return context.body(null, 204)
  })

  app.post('/targets/:id/reopen', async (context) => {
    await find(context.req.param('id'))?.open()
    return context.body(null, 204)
  })

  app.post('/targets/:id/answer', async (context) => {
    const connection = find(context.req.param('id'))
    const body: unknown = await context.req.json()
    if (!connection || !isObject(body)) return context.json(unknown, 404)
    const { requestId, answer } = body
    const fault = connection.answer(requestId as string | number, answer)
    return fault === undefined ? context.json({}) : context.json({ error: fault }, 409)
  })

  app.put('/targets/:id/client', async (context) => {
    const connection = find(context.req.param('id'))
    if (!connection) return context.json(unknown, 404)
    const client = readClientSide(await context.req.json())
    if (typeof client === 'string') return context.json({ error: client }, 400)
    await connection.setClient(client)
    return context.json({})
  })

  app.post('/targets/:id/copies', async (context) => {
    const connection = find(context.req.param('id'))
    const body: unknown = await context.req.json()
    if (!connection || !isObject(body) || typeof body.method !== 'string') return context.json(unknown, 404)
    const params: JsonObject = isObject(body.params) ? body.params : {}
    return context.json(copiesOf(connection.target, connection.label, body.method, params))
  })

  /** Names of the servers in a host's configuration file. */
  app.post('/config-entries', async (context) => {
    const body: unknown = await context.req.json()
    const file = isObject(body) && typeof body.file === 'string' ? body.file : ''
    return context.json({ names: Object.keys(await readConfigEntries(file)) })
  })
  return app
}

function optionsIn(body: JsonObject): TargetOptions {
  const { env, headers, cwd } = body
  return {
    ...(isObject(env) ? { env: stringsOf(env) } : {}),
    ...(isObject(headers) ? { headers: stringsOf(headers) } : {}),
    ...(typeof cwd === 'string' && cwd !== '' ? { cwd } : {}),
  }
}

const stringsOf = (value: JsonObject) =>
  Object.fromEntries(Object.entries(value).map(([name, item]) => [name, String(item)]))
