/** `npm start`: runs both applications, each with its routes and its tools on one port. */
import { buildApp as buildExpress } from './express/app.js'
import { buildApp as buildFastify } from './fastify/app.js'

const [fastifyPort, expressPort] = [
  Number(process.env.FASTIFY_PORT ?? 4883),
  Number(process.env.EXPRESS_PORT ?? 4884),
]
const fastify = await buildFastify()
const url = await fastify.listen({ port: fastifyPort, host: '127.0.0.1' })
console.log(`Fastify: ${url}/trees and ${url}/mcp`)
const express = buildExpress().listen(expressPort, '127.0.0.1', (error) => {
  if (error) throw error
  const at = `http://127.0.0.1:${express.address().port}`
  console.log(`Express: ${at}/trees and ${at}/mcp`)
})
const end = async () => {
  express.closeAllConnections()
  express.close()
  // Browsers and links keep their connections open as long as possible.
  fastify.server.closeAllConnections()
  await fastify.close()
  process.exit(0)
}
process.once('SIGINT', end)
process.once('SIGTERM', end)
