import { existsSync } from 'node:fs'
import { pathToFileURL } from 'node:url'
import { Command } from 'commander'
import { tour } from '../../demo/tour.js'
import { loadKit, readTypeScript } from '../../kit-file/kit-file.js'
import { startLoupe } from '../../loupe/start.js'
import { hasPackage, packageMissing } from '../../optional-packages.js'
import { packageFile } from '../../own-files.js'
import { untilSignal } from '../../serve/serve-kit.js'
import { connectOnNode } from '../../transport/node-connect.js'
import { serveHttp } from '../../transport/node-http.js'
import { runOnNode } from '../../transport/node-run.js'
import { onFreePort } from '../options/ports.js'
import { colours, columns, out, wrapped } from '../terminal/output.js'
import { verbTexts } from '../text/verb-texts.js'

const apiary = pathToFileURL(packageFile('examples/apiary/'))
const kitFile = packageFile('examples/apiary/apiary.kit.ts')

/** The demo contains every kind of wrap, so it needs these packages. */
const needed = ['zod', 'typescript', 'libsql', 'mqtt', 'aedes', 'graphql', '@hono/node-server']

interface Served {
  url: string
  close(): Promise<void>
}
interface Around {
  readonly registry: Served & { key: string }
  readonly graph: Served
  readonly scales: Served
}

/** The services of the apiary are separate programs, which the example starts. */
async function startAround(): Promise<Around> {
  const missing = needed.filter((name) => !hasPackage(name))
  if (missing.length > 0) throw packageMissing(missing, 'the demo')
  await readTypeScript()
  const from = async (file: string) => (await import(new URL(file, apiary).href)) as Record<string, unknown>
  const { serveRegistry } = await from('registry/serve.ts')
  const { serveGraph } = await from('graph/serve.ts')
  const { serveScales } = await from('scales/serve.ts')
  return {
    registry: await onFreePort(4872, serveRegistry as (port: number) => Promise<Around['registry']>),
    graph: await onFreePort(4873, serveGraph as (port: number) => Promise<Served>),
    scales: await onFreePort(4874, serveScales as (port: number) => Promise<Served>),
  }
}

export const demo = () =>
  new Command('demo')
    .description(verbTexts.demo.about)
    .option('--tour', 'exit after the tour')
    .addHelpText('after', '\nExample: jexo demo --tour')
    .action(async (flags: { tour?: boolean }) => {
      const { registry, graph, scales } = await startAround()
      // The kit gets their addresses from settings, as any kit does.
      Object.assign(process.env, { REGISTRY_URL: registry.url, GRAPH_URL: graph.url, SCALES_URL: scales.url })
      const kit = await loadKit(kitFile)
      const service = await onFreePort(4870, (port) => serveHttp(runOnNode(kit, { showsUpstream: true }), { port }))
      const page = await onFreePort(4871, (port) => startLoupe([{ kind: 'url', url: service.url }], { port }))
      out(`${colours.bold('The Marsh Lane apiary')}  a fictional co-op with twelve hives, served by Jexo`)
      out(`  server    ${colours.cyan(service.url)}`)
      const room = await openRoom([service.url, ...(existsSync(visits) ? [visits] : [])])
      out(`  Loupe     ${colours.cyan(page.url)}`)
      if (room) out(`  room      ${colours.cyan(room.url)}  ${colours.dim('a stand-in for a chat host')}`)
      out(
        `  registry  ${colours.cyan(registry.url)}  ${colours.dim('a REST API, wrapped by its OpenAPI description')}`,
      )
      out(`  graph     ${colours.cyan(graph.url)}  ${colours.dim('a GraphQL endpoint over the ledger')}`)
      out(`  scales    ${colours.cyan(scales.url)}  ${colours.dim('twelve scales that report by MQTT')}`)
      out('')
      await walk(service.url, registry)
      if (!flags.tour) {
        out(`${colours.bold('Try it')}`)
        out(`  server  jexo call ${service.url} weigh_hive hive=ML-04 --trace`)
        out(`  Loupe   pick ${colours.bold('weigh_hive')}, take its example, send it, and open the result.`)
        if (room)
          out(
            '  room    say "What is the reading of the scale under ML-04?", approve the call; then say "And ML-07?"',
          )
        if (room && existsSync(visits))
          out('  view    in the room, say "Plan a hive visit", approve, and choose a hive in the page that opens.')
        out('Press Ctrl-C to stop the demo.')
        await untilSignal()
      }
      await room?.close()
      await page.close()
      await service.close()
      await Promise.all([registry, graph, scales].map((around) => around.close()))
    })

/** A server whose tool has a view; only in a checkout. */
const visits = packageFile('examples/hive-visit/hive-visit.kit.ts')

/** The rehearsal room, if it is built; only in a checkout, with `npm run demo`. */
async function openRoom(servers: readonly string[]): Promise<Served | undefined> {
  const built = pathToFileURL(packageFile('examples/rehearsal-room/dist/backend/main.js'))
  if (!existsSync(built)) return undefined
  const { startRoom } = (await import(built.href)) as {
    startRoom(options: { servers: readonly string[]; port: number }): Promise<Served>
  }
  return onFreePort(4876, (port) => startRoom({ servers, port }))
}

async function walk(url: string, registry: Around['registry']): Promise<void> {
  const link = await connectOnNode(url, { clientInfo: { name: 'jexo-tour', version: '1.0.0' } })
  let number = 0
  for await (const stop of tour(link, url, registry)) {
    out(`${colours.yellow(String(++number).padEnd(3))}${colours.bold(stop.wish)}`)
    const [first = '', ...more] = wrapped(stop.command, columns() - 8)
    out(`   ${colours.dim(`$ ${first}`)}`)
    for (const line of more) out(`       ${colours.dim(line)}`)
    for (const line of wrapped(stop.outcome, columns() - 14)) out(`   ${line}`)
    out(`   ${colours.dim(`${stop.tookMs.toFixed(1)} ms`)}`)
    out('')
  }
  await link.close()
}
