import { resolve } from 'node:path'
import { Command } from 'commander'
import type { RunningKit } from '../../engine/running-kit.js'
import { namesIn } from '../../kit/choose.js'
import { kitErrors } from '../../kit/errors.js'
import type { Kit } from '../../kit/kit.js'
import { takeEnvironmentFile } from '../../kit-file/dot-env.js'
import { atFile, loadKit } from '../../kit-file/kit-file.js'
import type { Log } from '../../serve/log.js'
import { readRunOptions, type ServeFlags } from '../../serve/options.js'
import { recordingOf } from '../../serve/recording.js'
import { serveKit } from '../../serve/serve-kit.js'
import { describeOption, serveOptions, usageOf } from '../../serve/serve-options.js'
import { watchKit } from '../../serve/watch-kit.js'
import { serveByWorkers } from '../../serve/workers/serve-by-workers.js'
import { asWorker } from '../../serve/workers/worker.js'
import { tapeSuffix } from '../../target/target.js'
import { isServer, serverAt } from '../options/server-at.js'
import { gather, readMs, type TargetFlags, targetOptions } from '../options/target-options.js'
import { verbTexts } from '../text/verb-texts.js'

interface Flags extends Omit<TargetFlags, 'header'>, ServeFlags {
  watch?: boolean
  showUpstream?: boolean
  tape?: string
  only?: string
  except?: string
  envFrom?: string[]
  prefix?: string
  catalogue?: boolean
  speed?: string
}

/** A kit for a server or a tape. */
async function kitBehind(text: string, { prefix, catalogue, watch, speed }: Flags): Promise<Kit> {
  if (watch) throw kitErrors.argumentUnreadable('--watch', 'a kit file')
  if (text.endsWith(tapeSuffix)) {
    const { kitFromTape } = await import('../../playback/kit-from-tape.js')
    return kitFromTape(text, speed === undefined ? {} : { speed: Number(speed) })
  }
  const { target, ...reach } = await serverAt(text)
  const { kitFromServer } = await import('../../wrap/server/wrap-server.js')
  return kitFromServer(target, {
    ...reach,
    ...(prefix === undefined ? {} : { prefix }),
    ...(catalogue ? { catalogue } : {}),
  })
}

export const serve = () => {
  const command = new Command('serve')
    .description(verbTexts.serve.about)
    .argument(
      '<kit>',
      'kit file, .ts or .js; a server: URL, exec:<command line>, <host config file>#<entry>; or a tape',
    )
  for (const option of serveOptions) {
    const isRepeatable = 'isRepeatable' in option
    if (isRepeatable) command.option(usageOf(option), describeOption(option), gather)
    else command.option(usageOf(option), describeOption(option))
  }
  return command
    .option('--only <parts>', 'serve only these parts: names, globs or tag:…, separated by commas')
    .option('--except <parts>', 'serve all parts except these')
    .option('--prefix <text>', 'server: prefix of the names of its tools and prompts')
    .option('--catalogue', 'server: three tools (search, explain, call) instead of one each')
    .option('--speed <number>', 'tape: playback speed; 1 as recorded, 0 without waiting; default: 1')
    .option('--watch', 'reload the kit when its file or an import changes')
    .option('--show-upstream', 'send upstream records (requests, SQL statements) to hosts that support them')
    .option('--tape <file>', 'record every message to a tape, with secrets masked')
    .option('--env <NAME=value>', 'set a variable for the kit (repeatable)', gather)
    .addHelpText(
      'after',
      '\nExample: jexo serve apiary.kit.ts --http 4870\n         jexo serve exec:"node old-server.mjs" --http\n         jexo serve hives.tape.jsonl --http     (answers as recorded)\nOver HTTP, clients must send a bearer token if JEXO_TOKEN, --tokens or --issuer is set.',
    )
    .action(async (file: string, flags: Flags) => {
      // A kit may read the environment while it is loaded.
      const environment = Object.assign(process.env, targetOptions({ env: flags.env ?? [] }).env)
      for (const named of flags.envFrom ?? []) await takeEnvironmentFile(resolve(named), true)
      // Invalid options are reported before anything is loaded; a file beside the kit may add options.
      const alone = flags.tape === undefined ? [] : ['--tape']
      const early = await serveByWorkers(readRunOptions(flags, environment), environment, alone)
      if (early !== undefined) process.exit(early)
      if (flags.loadTimeout !== undefined) environment.JEXO_LOAD_TIMEOUT_MS = String(readMs(flags.loadTimeout))
      const isKitFile = !isServer(file) && !file.endsWith(tapeSuffix)
      const kit = isKitFile ? await loadKit(file) : await kitBehind(file, flags)
      const code = await serveByWorkers(readRunOptions(flags, environment), environment, alone)
      if (code !== undefined) process.exit(code)
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
                // All processes reload the kit; one reports it.
                watchKit(file, running, (level, text) =>
                  log.write((asWorker()?.number ?? 1) > 1 ? 'debug' : level, text),
                ),
            }
          : {}),
      }
      try {
        await (isKitFile ? atFile(file, () => serveKit(kit, options)) : serveKit(kit, options))
      } finally {
        await recording.close()
      }
    })
}
