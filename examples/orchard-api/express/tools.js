import { createServer } from 'node:http'
import { defineKit } from 'jexo'
import { nodeHandler } from 'jexo/node'
import { wrapOpenApi } from 'jexo/openapi'
import { description } from './description.js'

/** Tools for the application's routes, at /mcp on the same port. */
export function addTools(app) {
  // Calls the application in this process.
  const within = createServer(app).listen(0, '127.0.0.1').unref()
  const upstream = async (request) => {
    const { pathname, search } = new URL(request.url)
    if (!within.listening) await new Promise((resolve) => within.once('listening', resolve))
    return fetch(`http://127.0.0.1:${within.address().port}${pathname}${search}`, { method: request.method })
  }
  const mcp = wrapOpenApi(description, { upstream, baseUrl: 'http://orchard.internal/' }).then((parts) =>
    nodeHandler(
      defineKit({ name: 'orchard', version: '1.0.0', about: 'Trees and harvests of Orchard End.', parts }),
    ),
  )
  app.use(async (request, response, next) => (await mcp)(request, response, next))
}
