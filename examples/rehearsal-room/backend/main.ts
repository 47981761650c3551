/** `npm start -- [servers …] [--model url] [--port number]`: opens the room for servers and prints its address. */
import { parseArgs } from 'node:util'
import { chatHostModel, standInHostModel } from 'jexo/host'
import { Room } from './room.ts'
import { serveRoom } from './routes.ts'

const usage = `Usage: npm start -- [server …] [--model url] [--model-name name] [--port number]
A server is a kit file, a URL, exec:<command line>, <host config file>#<entry>, or a host's configuration file with all of its entries.`

/** Opens a room. The page shows errors of servers. */
export async function startRoom({
  servers,
  model,
  modelName,
  port = 4876,
}: {
  servers: readonly string[]
  model?: string | undefined
  modelName?: string | undefined
  port?: number
}): Promise<{ url: string; close(): Promise<void> }> {
  const key = process.env.JEXO_MODEL_KEY
  const room = new Room(model === undefined ? standInHostModel() : chatHostModel(model, { model: modelName, key }))
  const served = await serveRoom(room, port)
  for (const server of servers) await room.attach(server, true)
  return {
    url: served.url,
    close: async () => {
      await served.close()
      await room.close()
    },
  }
}

async function main(): Promise<void> {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: {
      model: { type: 'string' },
      'model-name': { type: 'string' },
      port: { type: 'string', default: '4876' },
      help: { type: 'boolean', short: 'h' },
    },
  })
  if (values.help) return console.log(usage)
  const port = Number(values.port)
  if (!Number.isInteger(port) || port < 0 || port > 65_535)
    throw new Error(`--port ${values.port} is not a valid port`)
  const room = await startRoom({ servers: positionals, model: values.model, modelName: values['model-name'], port })
  console.log(`The rehearsal room is at ${room.url}`)
  console.log('Ctrl-C ends it.')
  const end = () => void room.close().finally(() => process.exit(0))
  process.once('SIGINT', end)
  process.once('SIGTERM', end)
}

if (process.argv[1] && import.meta.url === (await import('node:url')).pathToFileURL(process.argv[1]).href)
  main().catch((error: NodeJS.ErrnoException) => {
    const taken = error.code === 'EADDRINUSE' ? '; choose another with --port' : ''
    console.error(`error ${error.message}${taken}\n${usage}`)
    process.exit(2)
  })
