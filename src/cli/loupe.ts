import { Command } from 'commander'
import { problems } from '../errors.js'
import { startLoupe } from '../loupe/start.js'
import { untilSignal } from '../serve/serve-kit.js'
import { readTarget, type Target } from '../target/target.js'
import { out, say } from './output.js'
import { onFreePort } from './ports.js'
import { gather, type TargetFlags, targetOptions } from './target-options.js'

interface Flags extends TargetFlags {
  port: string
}

export const loupe = () =>
  new Command('loupe')
    .description('Opens the inspector page for one or more servers.')
    .argument('<target...>', 'kit file, URL, exec:<command line>, or <config file>#<entry>')
    .option('--port <port>', 'port of the page on this machine', '4871')
    .option('--header <name: value>', 'send a header with every request', gather)
    .option('--env <NAME=value>', 'set a variable for commands', gather)
    .option('--cwd <folder>', 'start commands in this folder')
    .addHelpText('after', '\nExample: jexo loupe apiary.kit.ts')
    .action(async (texts: string[], flags: Flags) => {
      const port = Number(flags.port)
      if (!Number.isInteger(port) || port < 0 || port > 65_535) {
        throw problems.argumentUnreadable(`--port ${flags.port}`, 'a port, such as 4871')
      }
      const targets: Target[] = []
      for (const text of texts) targets.push(await readTarget(text, targetOptions(flags)))
      const service = await onFreePort(port, (free) => startLoupe(targets, free))
      out(service.url)
      say('Open this link; the page is for this machine only. Ctrl-C ends it.')
      await untilSignal()
      await service.close()
    })
