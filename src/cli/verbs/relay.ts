import { randomBytes } from 'node:crypto'
import { tmpdir } from 'node:os'
import { basename, join, resolve } from 'node:path'
import { Command } from 'commander'
import { kitErrors } from '../../kit/errors.js'
import { shownPath } from '../../kit-file/kit-file.js'
import { secretsIn } from '../../protocol/secrets.js'
import { relayBetween } from '../../relay/relay-between.js'
import { type RelayStreams, relayChild } from '../../relay/relay-child.js'
import { relayHttp } from '../../relay/relay-http.js'
import { readHttpAddress } from '../../serve/address.js'
import { untilSignal } from '../../serve/serve-kit.js'
import { now, type TapeEvent } from '../../tape/entry.js'
import { TapeWriter } from '../../tape/write.js'
import { commandOf } from '../../target/command-of.js'
import { targetErrors } from '../../target/errors.js'
import { secretsOf } from '../../target/secrets-of.js'
import { labelOf, readTarget, type Target } from '../../target/target.js'
import { isLoopback } from '../../transport/http/checks.js'
import { HttpWire } from '../../transport/http-wire.js'
import { installStdoutGuard } from '../../transport/stdout-guard.js'
import { type TargetFlags, targetOptions, withReach } from '../options/target-options.js'
import { cliErrors } from '../terminal/errors.js'
import { Failed, out, say } from '../terminal/output.js'

interface Flags extends TargetFlags {
  tape?: string
  http?: string | true
}

export const relay = () =>
  withReach(
    new Command('relay')
      .description('Pass bytes between a host and a server unchanged, and record the messages')
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
          'a URL as target; the relay talks to a command over stdin and stdout',
        )
      const file = resolve(
        flags.tape ?? join(tmpdir(), `jexo-relay-${randomBytes(12).toString('base64url')}.tape.jsonl`),
      )
      const writer = await TapeWriter.open(file, [...secretsIn(process.env), ...secretsOf(target)], (reason) =>
        say(`jexo: the tape ${file} is no longer writable (${reason}); the relay continues without it`),
      )
      say(`jexo: recording to ${shownPath(file)}`)
      // Runs that go on with a tape must not be taken for one.
      const run = Math.random().toString(36).slice(2, 6)
      // A kit tells its secrets before anything else: until then nothing is written.
      let held: [string, TapeEvent, number][] | undefined = target.kind === 'kit' ? [] : undefined
      const add: Add = (name, event) => {
        if (held) held.push([`${run}-${name}`, event, now()])
        else writer.add(`${run}-${name}`, event)
      }
      const release = () => {
        for (const entry of held ?? []) writer.add(...entry)
        held = undefined
      }
      try {
        const code = await carry(target, flags, add, (secrets) => {
          writer.addSecrets(secrets)
          release()
        })
        if (code !== 0) throw new Failed(code)
      } finally {
        release()
        await writer.close()
      }
    })

type Add = (target: string, event: TapeEvent) => void

async function carry(
  target: Exclude<Target, { kind: 'tape' }>,
  flags: Flags,
  add: Add,
  onSecrets: (secrets: string[]) => void,
): Promise<number> {
  if (target.kind !== 'url') {
    const stop = new AbortController()
    const stopped = () => stop.abort()
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, stopped)
    // The host has gone without a word.
    process.stdout.on('error', stopped)
    const code = await relayChild(commandOf(target), standardEnds(), (event) => add('s1', event), {
      // A tape is read elsewhere: where the kit was seen from here says nothing there.
      label: target.kind === 'kit' ? basename(target.file) : labelOf(target),
      signal: stop.signal,
      onSecrets,
    })
    return stop.signal.aborted ? 0 : code
  }
  if (flags.http !== undefined) {
    const address = flags.http === true ? { host: '127.0.0.1', port: 4875 } : readHttpAddress(flags.http)
    const token = process.env.JEXO_TOKEN || undefined
    if (!isLoopback(address.host) && token === undefined) throw cliErrors.relayWithoutToken(address.host)
    const guard = token === undefined ? {} : { token }
    const service = await relayHttp(
      new URL(target.url),
      { ...address, headers: target.headers ?? {}, ...guard },
      add,
    )
    out(service.url)
    if (token !== undefined) say('Hosts must send "Authorization: Bearer <JEXO_TOKEN>".')
    say(`Configure this URL in the host instead of ${target.url}. Press Ctrl-C to stop.`)
    await untilSignal()
    await service.close()
    return 0
  }
  process.stdout.on('error', () => {})
  if (process.stdin.isTTY) say('Waiting for a host on stdin; use --http to listen on a port.')
  let exchanges = 0
  const wire = new HttpWire(new URL(target.url), {
    ...(target.headers ? { headers: target.headers } : {}),
    onExchange: ({ sent: _, ...exchange }) => add('s1', { kind: 'http', exchange: ++exchanges, ...exchange }),
  })
  await Promise.race([relayBetween(wire, standardEnds(), (event) => add('s1', event)), untilSignal()])
  return 0
}

function standardEnds(): RelayStreams {
  const guard = installStdoutGuard()
  return {
    input: process.stdin,
    write: (bytes) => guard.write(bytes),
    drained: (then) => process.stdout.once('drain', then),
    writeError: (bytes) => void process.stderr.write(bytes),
  }
}
