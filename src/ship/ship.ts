import { createHash } from 'node:crypto'
import { readFile } from 'node:fs/promises'
import { basename, resolve } from 'node:path'
import { isJexoError, messageOf } from '../errors.js'
import { shownPath } from '../kit-file/kit-file.js'
import { compiledFile } from '../own-files.js'
import { packKit } from '../pack/pack-kit.js'
import { readPackedHead } from '../packed-file/mark.js'
import { checkServer, type ServerCheck } from './check-server.js'
import type { DeploymentSettings, DeploymentStatus, Failure, FarEvent, ShipDone, ShipHeader } from './deployment.js'
import { shipErrors } from './errors.js'
import { type DeployLocation, putFile, runThere } from './remote.js'
import { relayedFailure } from './supervisor/control.js'

export interface ShipOptions {
  settings?: Partial<DeploymentSettings>
  /** Variables for the `.env` of the deployment. */
  environment?: Record<string, string>
  /** Creates a token if access requires one and there is none. Default: true. */
  makesToken?: boolean
  /** Node on the remote machine. Default: `node`, or this one if it is local. */
  node?: string
  /** Called with progress messages. */
  say?: (text: string) => void
}
export interface Shipped extends ShipDone {
  /** Result of the check through the public URL; undefined if only the remote machine can reach it. */
  check: ServerCheck | undefined
}

const supervisorFile = 'supervisor.mjs'

/**
 * Deploys a packed file (or a kit file, which is packed first), switches to it once it responds on that machine, and
 * calls it through its URL. Rejects with a `JexoError` that says which step failed; the previous release then keeps
 * serving.
 */
export async function ship(
  artefact: string,
  location: DeployLocation,
  options: ShipOptions = {},
): Promise<Shipped> {
  const { settings = {}, environment = {}, makesToken = true, say = () => {} } = options
  const { code, file } = await readArtefact(artefact, say)
  const head = readPackedHead(code)
  if (!head) throw shipErrors.notPacked(artefact)
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
  await putFile(location, supervisorFile, await readFile(compiledFile('ship/supervisor.mjs')))
  const input = Buffer.concat([Buffer.from(`${JSON.stringify(header)}\n`), bytes])
  const done = await order(location, ['ship'], options, input)
  return { ...done, check: await checkOf(location, done) }
}

/** Returns to the previous release, or to the one with an id. */
export async function rollback(
  location: DeployLocation,
  id: string | undefined,
  options: ShipOptions = {},
): Promise<Shipped> {
  const done = await order(location, id === undefined ? ['rollback'] : ['rollback', id], options)
  return { ...done, check: await checkOf(location, done) }
}

export async function statusOf(location: DeployLocation, options: ShipOptions = {}): Promise<DeploymentStatus> {
  const { status } = await tell(location, ['status'], options)
  if (!status) throw shipErrors.deploymentNotRunning()
  return status
}

export const stopDeployment = async (location: DeployLocation, options: ShipOptions = {}): Promise<void> =>
  void (await tell(location, ['stop'], options))

export async function logsOf(location: DeployLocation, lines: number, options: ShipOptions = {}): Promise<string> {
  return (await tell(location, ['logs', String(lines)], options)).logs ?? ''
}

async function order(
  location: DeployLocation,
  words: readonly string[],
  options: ShipOptions,
  input?: Uint8Array,
): Promise<ShipDone> {
  const { done } = await tell(location, words, options, input)
  if (!done) throw shipErrors.supervisorFailed('it ended without output')
  return done
}

/** The last message of each kind from the remote machine. Rejects with its error. */
async function tell(
  location: DeployLocation,
  words: readonly string[],
  { node, say = () => {} }: ShipOptions,
  input: Uint8Array = new Uint8Array(),
): Promise<{ done?: ShipDone; status?: DeploymentStatus; logs?: string }> {
  const heard: { done?: ShipDone; status?: DeploymentStatus; logs?: string } = {}
  let failed: Failure | undefined
  let isThere = false
  const hear = (line: string) => {
    const event = readEvent(line)
    if (!event) return
    isThere = true
    if ('say' in event) say(event.say)
    else if ('failed' in event) failed = event.failed
    else Object.assign(heard, event)
  }
  const program = node ?? (location.destination === undefined ? process.execPath : 'node')
  await runThere(location, program, [supervisorFile, ...words], input, hear)
  if (failed) throw relayedFailure(failed)
  if (!isThere) throw shipErrors.deploymentNotRunning()
  return heard
}

/** Ignores output of the login shell. */
function readEvent(line: string): FarEvent | undefined {
  try {
    return JSON.parse(line) as FarEvent
  } catch {
    return undefined
  }
}

/** Uses the public URL if there is one, as clients do. */
async function checkOf(
  { destination }: DeployLocation,
  { id, url, publicUrl, token, tools }: ShipDone,
): Promise<ServerCheck | undefined> {
  const asked = publicUrl ?? (destination === undefined ? url : undefined)
  if (asked === undefined) return undefined
  try {
    return await checkServer(asked, token)
  } catch (error) {
    if (isJexoError(error) && error.code === 'sign-in-needed')
      return { server: id, tools, needsSignIn: true, tookMs: 0 }
    throw shipErrors.publicUrlSilent(asked, messageOf(error))
  }
}

async function readArtefact(
  artefact: string,
  say: (text: string) => void,
): Promise<{ code: string; file: string }> {
  const path = resolve(artefact)
  const code = await readFile(path, 'utf8').catch((error: NodeJS.ErrnoException) => {
    throw shipErrors.artefactMissing(shownPath(path), error.code ?? error.message)
  })
  if (readPackedHead(code)) return { code, file: basename(path) }
  if (!/\.kit\.[cm]?[jt]sx?$/.test(path)) throw shipErrors.notPacked(shownPath(path))
  say(`packing ${shownPath(path)}`)
  const packed = await packKit(path)
  return { code: packed.code, file: packed.fileName }
}
