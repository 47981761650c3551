import { Command } from 'commander'
import type { RunningKit } from '../engine/running-kit.js'
import { namesIn } from '../kit/choose.js'
import { readHttpAddress } from '../serve/address.js'
import { recordingOf } from '../serve/recording.js'
import { serveKit } from '../serve/serve-kit.js'
import { watchKit } from '../serve/watch-kit.js'
import { atFile, loadKit } from '../target/kit-file.js'
import { say } from './output.js'
import { gather, type TargetFlags, targetOptions } from './target-options.js'

interface Flags extends TargetFlags {
  http?: string
  path?: string
  publicUrl?: string
  openToAnyone?: boolean
  watch?: boolean
  showUpstream?: boolean
  tape?: string
  only?: string
  except?: string
}

export const serve = () =>
  new Command('serve')
    .description('Serves a kit, on stdin and stdout or over HTTP.')
    .argument('<kit>', 'kit file, .ts or .js')
    .option('--http <[host:]port>', 'serve over HTTP; the host is 127.0.0.1 unless given')
    .option('--path <path>', 'path of the endpoint', '/mcp')
    .option('--public-url <url>', 'the URL that others reach it by')
    .option('--open-to-anyone', 'let anyone call although other machines can reach it')
    .option('--only <parts>', 'serve these only: names, globs or tag:…, separated by commas')
    .option('--except <parts>', 'serve all but these')
    .option('--watch', 'load the kit again when its file or what it imports changes')
    .option('--show-upstream', 'tell hosts that ask for it what calls did outside: requests, statements')
    .option('--tape <file>', 'record every message to a file, with secrets masked')
    .option('--env <NAME=value>', 'set a variable for the kit (again for more)', gather)
    .addHelpText(
      'after',
      '\nExample: jexo serve apiary.kit.ts --http 4870\nOver HTTP, callers send the token in JEXO_TOKEN where it is set.',
    )
    .action(async (file: string, flags: Flags) => {
      const http = flags.http === undefined ? undefined : readHttpAddress(flags.http)
      // A kit may look at the environment while it is loaded.
      const environment = Object.assign(process.env, targetOptions(flags).env)
      const kit = await loadKit(file)
      const recording = await recordingOf(kit, environment, flags.tape)
      const options = {
        environment,
        ...(recording.observer ? { observer: recording.observer } : {}),
        isOpenToAnyone: flags.openToAnyone === true,
        showsUpstream: flags.showUpstream === true,
        only: namesIn(flags.only ?? ''),
        except: namesIn(flags.except ?? ''),
        ...(flags.watch ? { onRunning: (running: RunningKit) => watchKit(file, running, say) } : {}),
        ...(http ? { http } : {}),
        ...(flags.path === undefined ? {} : { path: flags.path }),
        ...(flags.publicUrl === undefined ? {} : { publicUrl: flags.publicUrl }),
      }
      try {
        await atFile(file, () => serveKit(kit, options))
      } finally {
        await recording.close()
      }
    })
