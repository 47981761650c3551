import { randomBytes } from 'node:crypto'
import { tmpdir } from 'node:os'
import { basename, join, resolve } from 'node:path'
import { secretsIn } from '../protocol/secrets.js'
import { now, type TapeEvent } from '../tape/entry.js'
import { TapeWriter } from '../tape/write.js'
import { commandOf } from '../target/command-of.js'
import { secretsOf } from '../target/secrets-of.js'
import { labelOf, type Target } from '../target/target.js'
import { HttpWire } from '../transport/http-wire.js'
import { relayBetween } from './relay-between.js'
import { type RelayStreams, relayChild } from './relay-child.js'
import { relayHttp } from './relay-http.js'

export interface RelayTargetOptions {
  /** Tape to append to. Default: a new file in the folder for temporary files. */
  readonly tape?: string | undefined
  /** For a URL: where hosts connect over HTTP; without it, the host is at `streams`. */
  readonly http?: { readonly host: string; readonly port: number } | undefined
  /** Bearer token that hosts must send over HTTP. */
  readonly token?: string | undefined
  /** Opens the host's side over stdio; called only if a host is connected. */
  readonly streams: () => RelayStreams
  /** Ends the relay. */
  readonly signal: AbortSignal
  readonly onRecording?: (file: string) => void
  /** Called if the tape can no longer be written; the relay continues. */
  readonly onTapeLost?: (file: string, reason: string) => void
  /** Hosts can connect at this URL. */
  readonly onListening?: (url: string) => void
}

type Add = (connection: string, event: TapeEvent) => void

/**
 * Passes bytes between a host and a target unchanged, and records the messages on a tape. Resolves with the exit code of the target's
 * process, or 0. Rejects with a `JexoError` if the tape cannot be opened or the port is taken.
 */
export async function relayTarget(
  target: Exclude<Target, { kind: 'tape' }>,
  options: RelayTargetOptions,
): Promise<number> {
  const file = resolve(
    options.tape ?? join(tmpdir(), `jexo-relay-${randomBytes(12).toString('base64url')}.tape.jsonl`),
  )
  const secrets = [...secretsIn(process.env), ...secretsOf(target)]
  const writer = await TapeWriter.open(file, secrets, (reason) => options.onTapeLost?.(file, reason))
  options.onRecording?.(file)
  // Several runs can append to one tape; each has connections of its own.
  const run = randomBytes(3).toString('base64url')
  // A kit reports its secrets before anything else: nothing is written until then.
  let held: [string, TapeEvent, number][] | undefined = target.kind === 'kit' ? [] : undefined
  const add: Add = (connection, event) => {
    if (held) held.push([`${run}-${connection}`, event, now()])
    else writer.add(`${run}-${connection}`, event)
  }
  const release = () => {
    for (const entry of held ?? []) writer.add(...entry)
    held = undefined
  }
  const onSecrets = (found: string[]) => {
    writer.addSecrets(found)
    release()
  }
  try {
    return target.kind === 'url'
      ? await relayUrl(target, options, add)
      : await relayProcess(target, options, add, onSecrets)
  } finally {
    release()
    await writer.close()
  }
}

async function relayProcess(
  target: Exclude<Target, { kind: 'tape' | 'url' }>,
  { streams, signal }: RelayTargetOptions,
  add: Add,
  onSecrets: (found: string[]) => void,
): Promise<number> {
  const code = await relayChild(commandOf(target), streams(), (event) => add('s1', event), {
    // Tapes are read on other machines, so only the file name of the kit is recorded.
    label: target.kind === 'kit' ? basename(target.file) : labelOf(target),
    signal,
    onSecrets,
  })
  return signal.aborted ? 0 : code
}

async function relayUrl(
  { url, headers = {} }: Extract<Target, { kind: 'url' }>,
  { http, token, streams, signal, onListening }: RelayTargetOptions,
  add: Add,
): Promise<number> {
  const ended = new Promise<void>((done) => signal.addEventListener('abort', () => done(), { once: true }))
  if (http !== undefined) {
    const guard = token === undefined ? {} : { token }
    const service = await relayHttp(new URL(url), { ...http, headers, ...guard }, add)
    onListening?.(service.url)
    await ended
    await service.close()
    return 0
  }
  let exchanges = 0
  const wire = new HttpWire(new URL(url), {
    headers,
    onExchange: ({ sent: _, ...exchange }) => add('s1', { kind: 'http', exchange: ++exchanges, ...exchange }),
  })
  await Promise.race([relayBetween(wire, streams(), (event) => add('s1', event)), ended])
  return 0
}
