import { Command } from 'commander'
import { kitErrors } from '../../kit/errors.js'
import { shownPath } from '../../kit-file/kit-file.js'
import type { RelayStreams } from '../../relay/relay-child.js'
import { relayTarget } from '../../relay/relay-target.js'
import { readHttpAddress } from '../../serve/address.js'
import { targetErrors } from '../../target/errors.js'
import { readTarget } from '../../target/target.js'
import { isLoopback } from '../../transport/http/checks.js'
import { installStdoutGuard } from '../../transport/stdout-guard.js'
import { type TargetFlags, targetOptions, withReach } from '../options/target-options.js'
import { cliErrors } from '../terminal/errors.js'
import { Failed, out, say } from '../terminal/output.js'
import { verbTexts } from '../text/verb-texts.js'

interface Flags extends TargetFlags {
  tape?: string
  http?: string | true
}

export const relay = () =>
  withReach(
    new Command('relay')
      .description(verbTexts.relay.about)
      .argument('<target>', 'kit file, URL, exec:<command line>, or <config file>#<entry>')
      .option('--tape <file>', 'tape to write; appends to an existing file')
      .option(
        '--http [[host:]port]',
        'for a URL: listen for hosts over HTTP; default: the host uses stdin and stdout',
      ),
  )
    .addHelpText(
      'after',
      `
Example: jexo relay apiary.kit.ts --tape apiary.tape.jsonl
         jexo relay http://127.0.0.1:4870/mcp --http 4875 --tape apiary.tape.jsonl
Beside it, to see it live: jexo loupe --follow apiary.tape.jsonl`,
    )
    .action(async (text: string, flags: Flags) => {
      const target = await readTarget(text, targetOptions(flags))
      if (target.kind === 'tape') throw targetErrors.tapeAsTarget(shownPath(target.file))
      if (flags.http !== undefined && target.kind !== 'url')
        throw kitErrors.argumentUnreadable(
          '--http',
          'a URL as target; for a command, the relay uses stdin and stdout',
        )
      const http = addressOf(flags.http)
      const token = process.env.JEXO_TOKEN || undefined
      if (http !== undefined && !isLoopback(http.host) && token === undefined)
        throw cliErrors.relayWithoutToken(http.host)
      const isOnStdio = target.kind === 'url' && http === undefined
      if (isOnStdio && process.stdin.isTTY) say('Waiting for a host on stdin; use --http to listen on a port.')
      const code = await relayTarget(target, {
        tape: flags.tape,
        http,
        token,
        streams: standardStreams,
        signal: stopSignal(),
        onRecording: (file) => say(`jexo: recording to ${shownPath(file)}`),
        onTapeLost: (file, reason) =>
          say(`jexo: the tape ${file} is no longer writable (${reason}); the relay continues without it`),
        onListening: (url) => {
          out(url)
          if (token !== undefined) say('Hosts must send "Authorization: Bearer <JEXO_TOKEN>".')
          if (target.kind === 'url')
            say(`Configure this URL in the host instead of ${target.url}. Press Ctrl-C to stop.`)
        },
      })
      if (code !== 0) throw new Failed(code)
    })

const addressOf = (http: string | true | undefined) =>
  http === true ? { host: '127.0.0.1', port: 4875 } : http === undefined ? undefined : readHttpAddress(http)

/** Aborted by Ctrl-C or SIGTERM, or when the host closes its end of stdout. */
function stopSignal(): AbortSignal {
  const stop = new AbortController()
  const stopped = () => stop.abort()
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, stopped)
  process.stdout.on('error', stopped)
  return stop.signal
}

function standardStreams(): RelayStreams {
  const guard = installStdoutGuard()
  return {
    input: process.stdin,
    write: (bytes) => guard.write(bytes),
    drained: (then) => process.stdout.once('drain', then),
    writeError: (bytes) => void process.stderr.write(bytes),
  }
}
