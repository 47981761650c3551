import { defineKit } from 'jexo'
import { nodeHandler } from 'jexo/node'
import { wrapOpenApi } from 'jexo/openapi'

/**
 * Tools for the application's routes, at /mcp on the same port. They call the application in this process, so its
 * hooks, checks and errors apply.
 */
export function addTools(app) {
  let mcp
  const upstream = async (request) => {
    const { pathname, search } = new URL(request.url)
    const payload = request.method === 'GET' ? {} : { payload: Buffer.from(await request.arrayBuffer()) }
    const headers = Object.fromEntries(request.headers)
    const answer = await app.inject({ method: request.method, url: pathname + search, headers, ...payload })
    return new Response(answer.rawPayload, {
      status: answer.statusCode,
      headers: { 'content-type': answer.headers['content-type'] ?? '' },
    })
  }
  app.addHook('onReady', async () => {
    const parts = await wrapOpenApi(app.swagger(), {
      upstream,
      baseUrl: 'http://orchard.internal/',
      writes: ['record_harvest'],
    })
    mcp = nodeHandler(
      defineKit({ name: 'orchard', version: '1.0.0', about: 'Trees and harvests of Orchard End.', parts }),
    )
  })
  app.addHook('onRequest', (request, reply, done) => {
    if (!/^\/mcp(\?|$)/.test(request.url)) return done()
    reply.hijack()
    mcp(request.raw, reply.raw)
  })
  app.addHook('onClose', () => mcp?.close())
}
