import { createWriteStream, writeSync } from 'node:fs'
import { resolve } from 'node:path'
import { finished } from 'node:stream/promises'
import type { Observer } from '../engine/running-options.js'
import { type Kit, settingsFor } from '../kit/kit.js'
import type { Environment } from '../kit/settings.js'
import { secretsIn } from '../protocol/secrets.js'
import { upstreamVariable } from '../relay/relay-child.js'
import { recordKit, tellUpstream } from '../tape/record-kit.js'
import { TapeWriter } from '../tape/write.js'

/** Time limit for records that a parent process has not read at the end. */
const closeMs = 2000

export interface Recording {
  observer?: Observer
  /** Resolves when everything is written. */
  close(): Promise<void>
}

/**
 * Recorder of a served kit: a tape, or a parent process that records and receives the secrets to mask and the upstream
 * records. Rejects with a `JexoError` if the tape cannot be written.
 */
export async function recordingOf(
  kit: Kit,
  environment: Environment,
  tape: string | undefined,
): Promise<Recording> {
  const descriptor = Number(environment[upstreamVariable])
  // Child processes of the kit must not use the descriptor.
  delete process.env[upstreamVariable]
  if (tape !== undefined) return onTape(kit, environment, resolve(tape))
  if (!Number.isInteger(descriptor) || descriptor < 3) return { close: async () => {} }
  return toParent(descriptor, secretsOfKit(kit, environment))
}

function toParent(descriptor: number, secrets: readonly string[]): Recording {
  // Written at once, so that the parent has it before the first message.
  try {
    writeSync(descriptor, `${JSON.stringify({ secrets })}\n`)
  } catch {
    return { close: async () => {} }
  }
  const stream = createWriteStream('', { fd: descriptor })
  stream.on('error', () => {})
  return {
    observer: tellUpstream((line) => void stream.write(line)),
    close: async () => {
      stream.end()
      // The parent may not read.
      const late = new Promise<void>((resolve) => setTimeout(resolve, closeMs).unref())
      await Promise.race([finished(stream).catch(() => {}), late])
    },
  }
}

async function onTape(kit: Kit, environment: Environment, file: string): Promise<Recording> {
  const writer = await TapeWriter.open(file, secretsOfKit(kit, environment), (reason) =>
    process.stderr.write(
      `jexo: the tape ${file} is no longer writable (${reason}); serving continues without it\n`,
    ),
  )
  // Several runs on one tape get different session names.
  const run = Math.random().toString(36).slice(2, 6)
  return {
    observer: recordKit(`${kit.name} ${kit.version}`, (target, event) => writer.add(target, event), `${run}-s`),
    close: () => writer.close(),
  }
}

function secretsOfKit(kit: Kit, environment: Environment): string[] {
  const declared = Object.entries(settingsFor(kit, kit.parts)).filter(([, setting]) => setting.secret)
  const values = declared.map(([name, setting]) => environment[name] || setting.default || '')
  return [...values, ...secretsIn(environment)]
}
