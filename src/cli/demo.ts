import { fileURLToPath } from 'node:url'
import { Command } from 'commander'
import { tour } from '../demo/tour.js'
import { startLoupe } from '../loupe/start.js'
import { untilSignal } from '../serve/serve-kit.js'
import { loadKit, readTypeScript } from '../target/kit-file.js'
import { dialOnNode } from '../transport/node-dial.js'
import { serveHttp } from '../transport/node-http.js'
import { runOnNode } from '../transport/node-run.js'
import { colours, columns, out, wrapped } from './output.js'
import { onFreePort } from './ports.js'

const apiary = new URL('../../examples/apiary/', import.meta.url)
const kitFile = fileURLToPath(new URL('apiary.kit.ts', apiary))

interface Registry {
  url: string
  key: string
  close(): Promise<void>
}

/** The registry is a program of its own; what runs it is the example's. */
async function startRegistry(): Promise<Registry> {
  readTypeScript()
  const { serveRegistry } = (await import(new URL('registry/serve.ts', apiary).href)) as {
    serveRegistry(port: number): Promise<Registry>
  }
  return onFreePort(4872, serveRegistry)
}

export const demo = () =>
  new Command('demo')
    .description('The apiary of the Marsh Lane beekeepers, everything at once.')
    .option('--tour', 'end after the tour')
    .addHelpText('after', '\nExample: jexo demo --tour')
    .action(async (flags: { tour?: boolean }) => {
      const registry = await startRegistry()
      // The kit is told where the registry is as any kit is: by a setting.
      process.env.REGISTRY_URL = registry.url
      const kit = await loadKit(kitFile)
      const service = await onFreePort(4870, (port) => serveHttp(runOnNode(kit, { showsUpstream: true }), { port }))
      const page = await onFreePort(4871, (port) => startLoupe([{ kind: 'url', url: service.url }], port))
      out(`${colours.bold('The Marsh Lane apiary')}  a made-up co-op with twelve hives, served by Jexo`)
      out(`  server    ${colours.cyan(service.url)}`)
      out(`  Loupe     ${colours.cyan(page.url)}`)
      out(
        `  registry  ${colours.cyan(registry.url)}  ${colours.dim('a REST API, wrapped by its OpenAPI description')}`,
      )
      out('')
      await walk(service.url, registry)
      if (!flags.tour) {
        out(`\nOpen the Loupe link, pick ${colours.bold('weigh_hive')}, take its example and send it.`)
        out('Ctrl-C ends the demo.')
        await untilSignal()
      }
      await page.close()
      await service.close()
      await registry.close()
    })

async function walk(url: string, registry: Registry): Promise<void> {
  const link = await dialOnNode(url, { clientInfo: { name: 'jexo-tour', version: '1.0.0' } })
  let number = 0
  for await (const stop of tour(link, url, registry)) {
    out(`${colours.yellow(String(++number))}  ${colours.bold(stop.wish)}`)
    const [first = '', ...more] = wrapped(stop.command, columns() - 8)
    out(`   ${colours.dim(`$ ${first}`)}`)
    for (const line of more) out(`       ${colours.dim(line)}`)
    for (const line of wrapped(stop.outcome, columns() - 14)) out(`   ${line}`)
    out(`   ${colours.dim(`${stop.tookMs.toFixed(1)} ms`)}`)
    out('')
  }
  await link.close()
}
