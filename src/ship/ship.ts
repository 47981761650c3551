import { createHash } from 'node:crypto'
import { readFile } from 'node:fs/promises'
import { basename, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { build } from 'esbuild'
import { problems } from '../errors.js'
import { shownPath } from '../kit-file/kit-file.js'
import { packKit } from '../pack/pack-kit.js'
import { readPackedHead } from '../packed-file/mark.js'
import { type Place, putFile, runThere } from './far.js'
import type { FarEvent, PlaceSettings, PlaceStatus, ShipDone, ShipHeader } from './place.js'
import { type Proof, prove } from './prove.js'
import { relayedFailure } from './supervisor/control.js'

export interface ShipOptions {
  settings?: Partial<PlaceSettings>
  /** Variables for the place's `.env`. */
  environment?: Record<string, string>
  /** Makes a token where access needs one and there is none; true by default. */
  makesToken?: boolean
  /** Node on the far machine; `node` by default, here this one. */
  node?: string
  /** Hears how far it is. */
  say?: (text: string) => void
}
export interface Shipped extends ShipDone {
  /** What was really asked through its URL from here; undefined where only the far machine can reach it. */
  proof: Proof | undefined
}

const supervisorFile = 'supervisor.mjs'

/**
 * Puts a packed file (or a kit file, which is packed first) to a place, has the place switch to it once it has answered there, and asks it
 * through its URL. Rejects with a `JexoError` that says which of this did not work; what served before serves on then.
 */
export async function ship(artefact: string, place: Place, options: ShipOptions = {}): Promise<Shipped> {
  const { settings = {}, environment = {}, makesToken = true, say = () => {} } = options
  const { code, file } = await readArtefact(artefact, say)
  const head = readPackedHead(code)
  if (!head) throw problems.notPacked(artefact)
  const bytes = Buffer.from(code)
  const hash = createHash('sha256').update(bytes).digest('hex').slice(0, 8)
  const { kit, version, platform } = head
  const header: ShipHeader = {
    id: `${version.replace(/[^\w.-]/g, '-')}-${hash}`,
    file,
    kit,
    version,
    ...(platform === undefined ? {} : { platform }),
    bytes: bytes.length,
    settings,
    environment,
    makesToken,
  }
  say(`sending ${kit} ${version} (${Math.round(bytes.length / 1024)} kB)`)
  await putFile(place, supervisorFile, await supervisorCode())
  const input = Buffer.concat([Buffer.from(`${JSON.stringify(header)}\n`), bytes])
  const done = await order(place, ['ship'], options, input)
  return { ...done, proof: await proofOf(place, done) }
}

/** Goes back to the release before, or to the one of an id. */
export async function rollback(place: Place, id: string | undefined, options: ShipOptions = {}): Promise<Shipped> {
  const done = await order(place, id === undefined ? ['rollback'] : ['rollback', id], options)
  return { ...done, proof: await proofOf(place, done) }
}

export async function statusOf(place: Place, options: ShipOptions = {}): Promise<PlaceStatus> {
  const { status } = await tell(place, ['status'], options)
  if (!status) throw problems.placeNotRunning()
  return status
}

export const stopPlace = async (place: Place, options: ShipOptions = {}): Promise<void> =>
  void (await tell(place, ['stop'], options))

export async function logsOf(place: Place, lines: number, options: ShipOptions = {}): Promise<string> {
  return (await tell(place, ['logs', String(lines)], options)).logs ?? ''
}

async function order(
  place: Place,
  words: readonly string[],
  options: ShipOptions,
  input?: Uint8Array,
): Promise<ShipDone> {
  const { done } = await tell(place, words, options, input)
  if (!done) throw problems.supervisorFailed('it ended without a word')
  return done
}

/** What the far side said last of each kind. Rejects with what it refused. */
async function tell(
  place: Place,
  words: readonly string[],
  { node, say = () => {} }: ShipOptions,
  input: Uint8Array = new Uint8Array(),
): Promise<{ done?: ShipDone; status?: PlaceStatus; logs?: string }> {
  const heard: { done?: ShipDone; status?: PlaceStatus; logs?: string } = {}
  let failed: { code: string; message: string } | undefined
  let isThere = false
  const hear = (line: string) => {
    const event = readEvent(line)
    if (!event) return
    isThere = true
    if ('say' in event) say(event.say)
    else if ('failed' in event) failed = event.failed
    else Object.assign(heard, event)
  }
  const program = node ?? (place.destination === undefined ? process.execPath : 'node')
  await runThere(place, program, [supervisorFile, ...words], input, hear)
  if (failed) throw relayedFailure(failed)
  if (!isThere) throw problems.placeNotRunning()
  return heard
}

/** A login shell may say things of its own. */
function readEvent(line: string): FarEvent | undefined {
  try {
    return JSON.parse(line) as FarEvent
  } catch {
    return undefined
  }
}

/** Through the public URL where there is one: that is what others use. */
async function proofOf({ destination }: Place, { url, publicUrl, token }: ShipDone): Promise<Proof | undefined> {
  const asked = publicUrl ?? (destination === undefined ? url : undefined)
  if (asked === undefined) return undefined
  try {
    return await prove(asked, token)
  } catch (error) {
    throw problems.publicUrlSilent(asked, error instanceof Error ? error.message : String(error))
  }
}

async function readArtefact(
  artefact: string,
  say: (text: string) => void,
): Promise<{ code: string; file: string }> {
  const path = resolve(artefact)
  const code = await readFile(path, 'utf8').catch((error: NodeJS.ErrnoException) => {
    throw problems.artefactMissing(shownPath(path), error.code ?? error.message)
  })
  if (readPackedHead(code)) return { code, file: basename(path) }
  if (!/\.kit\.[cm]?[jt]sx?$/.test(path)) throw problems.notPacked(shownPath(path))
  say(`packing ${shownPath(path)}`)
  const packed = await packKit(path)
  return { code: packed.code, file: packed.fileName }
}

/** The far side as one file that needs only Node. */
async function supervisorCode(): Promise<Uint8Array> {
  const { outputFiles } = await build({
    entryPoints: [fileURLToPath(new URL('./supervisor/main.js', import.meta.url))],
    bundle: true,
    write: false,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    minify: true,
    logLevel: 'silent',
    banner: {
      js: `import { createRequire as jexoCreateRequire } from 'node:module';const require = jexoCreateRequire(import.meta.url);`,
    },
  })
  return outputFiles[0]?.contents ?? new Uint8Array()
}
