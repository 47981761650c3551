import { resolve } from 'node:path'
import { Command } from 'commander'
import { kitErrors } from '../../kit/errors.js'
import { Bench } from '../../loupe/bench.js'
import { startLoupe } from '../../loupe/start.js'
import { untilSignal } from '../../serve/serve-kit.js'
import { readTarget, type Target } from '../../target/target.js'
import { onFreePort } from '../options/ports.js'
import { gather, readMs, type TargetFlags, targetOptions } from '../options/target-options.js'
import { colours, columns, out, say } from '../terminal/output.js'
import { ScoreText } from '../text/score-text.js'
import { verbTexts } from '../text/verb-texts.js'

interface Flags extends TargetFlags {
  port: string
  tape?: string
  follow?: string[]
  plain?: boolean
  watch: boolean
}

export const loupe = () =>
  new Command('loupe')
    .description(verbTexts.loupe.about)
    .argument('[target...]', 'kit file, URL, exec:<command line>, <config file>#<entry>, or a tape')
    .option('--follow <tape>', 'follow a tape while it is written (repeatable)', gather)
    .option('--tape <file>', 'record every message to a tape, with secrets masked')
    .option('--plain', 'print the score as text instead of opening the page')
    .option('--watch', 'reload kits and pages of views when a file changes (the default)', true)
    .option('--no-watch', 'do not reload kits and pages')
    .option('--port <port>', 'port of the page on this machine', '4871')
    .option('--header <name: value>', 'send a header with every request', gather)
    .option('--env <NAME=value>', 'set a variable for commands (repeatable)', gather)
    .option('--cwd <folder>', 'working folder of commands')
    .option('--timeout <ms>', 'time limit of a request, in milliseconds')
    .option('--revision <date>', 'protocol revision to request')
    .addHelpText(
      'after',
      '\nExample: jexo loupe apiary.kit.ts\nA real host, live: jexo loupe --follow apiary.tape.jsonl',
    )
    .action(async (texts: string[], flags: Flags) => {
      const port = Number(flags.port)
      if (!Number.isInteger(port) || port < 0 || port > 65_535) {
        throw kitErrors.argumentUnreadable(`--port ${flags.port}`, 'a port, such as 4871')
      }
      const targets: Target[] = []
      for (const text of texts) targets.push(await readTarget(text, targetOptions(flags)))
      const follow = (flags.follow ?? []).map((file) => resolve(file))
      if (flags.plain) return plainly(targets, follow)
      const options = {
        follow,
        watches: flags.watch,
        ...(flags.timeout === undefined ? {} : { timeoutMs: readMs(flags.timeout) }),
        ...(flags.revision === undefined ? {} : { revision: flags.revision }),
        ...(flags.tape === undefined ? {} : { tape: resolve(flags.tape) }),
      }
      const service = await onFreePort(port, (free) => startLoupe(targets, { ...options, port: free }))
      out(service.url)
      say('Open this link. The page is available on this machine only. Press Ctrl-C to stop.')
      await untilSignal()
      await service.close()
    })

/** Prints the score line by line. Prints tapes to their end; with live targets, until it is stopped. */
async function plainly(targets: readonly Target[], follow: readonly string[]): Promise<void> {
  const score = new ScoreText({ width: columns(), colours })
  const bench = new Bench()
  out(score.head)
  bench.journal.listen((entries) => {
    for (const entry of entries) {
      const text = score.add(entry)
      if (text !== undefined) out(text)
    }
  })
  for (const target of targets) {
    if (target.kind === 'tape') await bench.openTape(target.file, false)
    else bench.add(target)
  }
  for (const file of follow) await bench.openTape(file, true)
  const failed = bench.tapes.find(({ problem }) => problem !== undefined)
  const isLive = follow.length > 0 || targets.some(({ kind }) => kind !== 'tape')
  if (isLive) await untilSignal()
  await bench.close()
  // The journal reports its last entries after this turn of the event loop.
  await new Promise((done) => setImmediate(done))
  if (failed) throw failed.failure
}
