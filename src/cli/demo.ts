import { fileURLToPath } from 'node:url'
import { Command } from 'commander'
import { tour } from '../demo/tour.js'
import { startLoupe } from '../loupe/start.js'
import { untilSignal } from '../serve/serve-kit.js'
import { loadKit } from '../target/kit-file.js'
import { dialOnNode } from '../transport/node-dial.js'
import { serveHttp } from '../transport/node-http.js'
import { colours, columns, out, wrapped } from './output.js'
import { onFreePort } from './ports.js'

const kitFile = fileURLToPath(new URL('../../examples/apiary/apiary.kit.ts', import.meta.url))

export const demo = () =>
  new Command('demo')
    .description('The apiary of the Marsh Lane beekeepers, everything at once.')
    .option('--tour', 'end after the tour')
    .addHelpText('after', '\nExample: jexo demo --tour')
    .action(async (flags: { tour?: boolean }) => {
      const kit = await loadKit(kitFile)
      const service = await onFreePort(4870, (port) => serveHttp(kit, { port }))
      const page = await onFreePort(4871, (port) => startLoupe([{ kind: 'url', url: service.url }], port))
      out(`${colours.bold('The Marsh Lane apiary')}  a made-up co-op with twelve hives, served by Jexo`)
      out(`  server  ${colours.cyan(service.url)}`)
      out(`  Loupe   ${colours.cyan(page.url)}`)
      out('')
      await walk(service.url)
      if (!flags.tour) {
        out(`\nOpen the Loupe link, pick ${colours.bold('weigh_hive')}, take its example and send it.`)
        out('Ctrl-C ends the demo.')
        await untilSignal()
      }
      await page.close()
      await service.close()
    })

async function walk(url: string): Promise<void> {
  const link = await dialOnNode(url, { clientInfo: { name: 'jexo-tour', version: '1.0.0' } })
  let number = 0
  for await (const stop of tour(link, url)) {
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
