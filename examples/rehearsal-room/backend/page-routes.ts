import { Hono } from 'hono'
import { ViewError } from 'jexo/host'
import type { Room } from './room.ts'
import { bodyOf } from './routes.ts'

type Content = Parameters<Room['conversation']['pages']['say']>[1]

/** Routes for views: their document, calls, resources and messages, all through the room's page. */
export function pageRoutes(room: Room): Hono {
  const app = new Hono()
  // A refusal keeps its code, so that the view receives it.
  app.onError((error, context) =>
    context.json({ error: error.message, ...(error instanceof ViewError ? { code: error.code } : {}) }, 400),
  )
  app.get('/:id/page', async (context) => {
    const id = Number(context.req.param('id'))
    return context.json({ ...(await room.conversation.pages.view(id)), tools: room.toolsOf(id) })
  })
  app.post('/:id/page/:verb', async (context) => {
    const { verb } = context.req.param()
    const id = Number(context.req.param('id'))
    const body = await bodyOf(context)
    const { pages } = room.conversation
    const { signal } = context.req.raw
    if (verb === 'call')
      return context.json(
        await pages.call(id, String(body.name), (body.arguments ?? {}) as Record<string, unknown>, signal),
      )
    if (verb === 'read') return context.json(await pages.read(id, String(body.uri), signal))
    if (verb === 'say') await pages.say(id, body.content as Content)
    else if (verb === 'tell') pages.tell(id, body)
    else if (verb === 'decide') {
      if (!pages.decide(id, body.isSent === true)) return context.json({ error: 'It has already ended.' }, 409)
    } else return context.json({ error: `there is no ${verb}` }, 404)
    return context.json({})
  })
  return app
}
