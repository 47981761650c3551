import { fileURLToPath } from 'node:url'
import { Command } from 'commander'
import { tour } from '../demo/tour.js'
import { isJexoError } from '../errors.js'
import type { Kit } from '../kit/kit.js'
import { loadKit } from '../target/kit-file.js'
import { dialOnNode } from '../transport/node-dial.js'
import { type HttpService, serveHttp } from '../transport/node-http.js'
import { startOnFreePort, untilSignal } from './loupe.js'
import { colours, columns, out, say } from './output.js'

const kitFile = fileURLToPath(new URL('../../examples/apiary/apiary.kit.ts', import.meta.url))

export const demo = () =>
  new Command('demo')
    .description('The apiary of the Marsh Lane beekeepers, everything at once.')
    .option('--tour', 'end after the tour')
    .addHelpText('after', '\nExample: jexo demo --tour')
    .action(async (flags: { tour?: boolean }) => {
      const service = await serveOnFreePort(await loadKit(kitFile), 4870)
      const page = await startOnFreePort([{ kind: 'url', url: service.url }], 4871)
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

function wrapped(text: string, width: number): string[] {
  return text.match(new RegExp(`.{1,${width}}(?:\\s|$)|\\S+`, 'g'))?.map((line) => line.trimEnd()) ?? [text]
}

async function serveOnFreePort(kit: Kit, wanted: number): Promise<HttpService> {
  for (let port = wanted; ; port++) {
    try {
      return await serveHttp(kit, { port })
    } catch (error) {
      if (!isJexoError(error) || error.code !== 'port-taken' || port > wanted + 20) throw error
      say(`Port ${port} is in use; trying ${port + 1}.`)
    }
  }
}
