import { resolve } from 'node:path'
import { Command } from 'commander'
import type { RunningKit } from '../engine/running-kit.js'
import { namesIn } from '../kit/choose.js'
import type { Log } from '../serve/log.js'
import { readRunOptions, type ServeFlags } from '../serve/options.js'
import { recordingOf } from '../serve/recording.js'
import { serveKit } from '../serve/serve-kit.js'
import { watchKit } from '../serve/watch-kit.js'
import { takeEnvironmentFile } from '../target/dot-env.js'
import { atFile, loadKit } from '../target/kit-file.js'
import { gather, type TargetFlags, targetOptions } from './target-options.js'

interface Flags extends Omit<TargetFlags, 'header'>, ServeFlags {
  watch?: boolean
  showUpstream?: boolean
  tape?: string
  only?: string
  except?: string
  envFrom?: string[]
}

export const serve = () =>
  new Command('serve')
    .description('Serves a kit, on stdin and stdout or over HTTP.')
    .argument('<kit>', 'kit file, .ts or .js')
    .option('--http [[host:]port]', 'serve over HTTP; 127.0.0.1:4870 unless given (JEXO_HOST, JEXO_PORT)')
    .option('--path <path>', 'path of the endpoint; /mcp unless given (JEXO_PATH)')
    .option('--public-url <url>', 'the URL that others reach it by (JEXO_PUBLIC_URL)')
    .option(
      '--allowed-host <name>',
      'another name it may be reached by (again for more; JEXO_ALLOWED_HOSTS)',
      gather,
    )
    .option('--open-to-anyone', 'let anyone call although other machines can reach it')
    .option('--needs-name', 'refuse to start for other machines without --public-url or --allowed-host')
    .option('--through <ssh destination>', 'let others reach it through that machine, by a reverse forward')
    .option(
      '--through-port <[address:]port>',
      'where that machine listens; its loopback and the same port unless given',
    )
    .option('--only <parts>', 'serve these only: names, globs or tag:…, separated by commas')
    .option('--except <parts>', 'serve all but these')
    .option('--watch', 'load the kit again when its file or what it imports changes')
    .option('--show-upstream', 'tell hosts that ask for it what calls did outside: requests, statements')
    .option('--tape <file>', 'record every message to a file, with secrets masked')
    .option('--log <form>', 'text, or json for one object a line with every call (JEXO_LOG)')
    .option('--log-level <level>', 'debug, info, warning or error (JEXO_LOG_LEVEL)')
    .option(
      '--metrics [[host:]port]',
      'count calls and sessions: at /metrics, or on a port of their own (JEXO_METRICS)',
    )
    .option('--env <NAME=value>', 'set a variable for the kit (again for more)', gather)
    .option('--env-from <file>', 'take variables from a file; .env beside the kit is taken anyway', gather)
    .addHelpText(
      'after',
      '\nExample: jexo serve apiary.kit.ts --http 4870\nOver HTTP, callers send the token in JEXO_TOKEN where it is set.',
    )
    .action(async (file: string, flags: Flags) => {
      // A kit may look at the environment while it is loaded.
      const environment = Object.assign(process.env, targetOptions({ env: flags.env ?? [] }).env)
      for (const named of flags.envFrom ?? []) takeEnvironmentFile(resolve(named), true)
      // What cannot be read is said before anything is loaded; a file beside the kit may add to it.
      readRunOptions(flags, environment)
      const kit = await loadKit(file)
      const recording = await recordingOf(kit, environment, flags.tape)
      const options = {
        ...readRunOptions(flags, environment),
        environment,
        ...(recording.observer ? { observer: recording.observer } : {}),
        showsUpstream: flags.showUpstream === true,
        only: namesIn(flags.only ?? ''),
        except: namesIn(flags.except ?? ''),
        ...(flags.watch
          ? {
              onRunning: (running: RunningKit, log: Log) =>
                watchKit(file, running, (level, text) => log.write(level, text)),
            }
          : {}),
      }
      try {
        await atFile(file, () => serveKit(kit, options))
      } finally {
        await recording.close()
      }
    })
