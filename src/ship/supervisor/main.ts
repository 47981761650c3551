import { randomBytes } from 'node:crypto'
import { existsSync, readFileSync } from 'node:fs'
import { readFile, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { parse } from 'dotenv'
import { messageOf } from '../../errors.js'
import { kitErrors } from '../../kit/errors.js'
import { serveErrors } from '../../serve/errors.js'
import { transportErrors } from '../../transport/errors.js'
import { isLoopback } from '../../transport/http/checks.js'
import {
  type DeploymentSettings,
  deploymentFiles,
  type FarEvent,
  readJson,
  readMemory,
  readSettings,
  type ShipHeader,
  writeJson,
  writeWhole,
} from '../deployment.js'
import { shipErrors } from '../errors.js'
import { ensureSupervised, failureOf, give, isSupervised, superviseHere } from './control.js'
import { urlAt } from './supervisor.js'

/** The remote side of `ship`, in the folder of the deployment. Writes one JSON object per line. */
const folder = process.cwd()
const tell = (event: FarEvent) => void process.stdout.write(`${JSON.stringify(event)}\n`)

async function main([verb, ...words]: string[]): Promise<void> {
  if (verb === 'run') return run()
  if (verb === 'ship') return ship()
  if (verb === 'rollback') {
    if ((await readMemory(folder)).releases.length === 0) throw shipErrors.releaseUnknown(words[0], [])
    await ensureSupervised(folder)
    return give(folder, { verb: 'rollback', ...(words[0] ? { id: words[0] } : {}) }, withToken)
  }
  if (verb === 'status') return status()
  if (verb === 'stop') return stop()
  if (verb === 'logs') return logs(Number(words[0] ?? 50))
  throw kitErrors.argumentUnreadable(
    `the order ${JSON.stringify(verb)}`,
    'run, ship, rollback, status, stop or logs',
  )
}

/** Ends when the port is free again. */
async function stop(): Promise<void> {
  await give(folder, { verb: 'stop' }, tell)
  const latestAt = Date.now() + 30_000
  tell({ say: 'stopping' })
  while (existsSync(deploymentFiles.running(folder)) && Date.now() < latestAt)
    await new Promise((wake) => setTimeout(wake, 50))
}

async function run(): Promise<void> {
  const log = (text: string) => void process.stderr.write(`${new Date().toISOString()} ${text}\n`)
  try {
    await superviseHere(folder, log)
  } catch (error) {
    log(messageOf(error))
    await new Promise((resolve) =>
      process.send ? process.send({ failed: failureOf(error) }, resolve) : resolve(0),
    )
    process.exit(1)
  }
  process.exit(0)
}

/** Receives a packed file on stdin, after a header line, and switches to it. */
async function ship(): Promise<void> {
  const chunks: Buffer[] = []
  for await (const chunk of process.stdin) chunks.push(chunk as Buffer)
  const input = Buffer.concat(chunks)
  const end = input.indexOf(10)
  const header = JSON.parse(input.subarray(0, end).toString()) as ShipHeader
  const bytes = input.subarray(end + 1)
  if (bytes.length !== header.bytes)
    throw shipErrors.releaseFailed(header.id, `${bytes.length} of ${header.bytes} bytes arrived`)
  const here = `${process.platform}-${process.arch}`
  if (header.platform !== undefined && header.platform !== here)
    throw shipErrors.artefactForeign(header.platform, here)
  const putBack = await settle(header)
  const { id, file, kit, version } = header
  const location = join(deploymentFiles.release(folder, id), file)
  const isNew = !existsSync(location)
  if (isNew) await writeWhole(location, bytes)
  const note = { id, file, kit, version, at: new Date().toISOString(), outcome: 'served' as const }
  let isFine = false
  try {
    await ensureSupervised(folder)
    await give(folder, { verb: 'switch', note }, async (event) => {
      isFine ||= 'done' in event
      withToken(event)
    })
  } finally {
    if (!isFine) await putBack()
    const isKnown = (await readMemory(folder)).releases.some(
      (known) => known.id === id && known.outcome === 'served',
    )
    if (!isFine && isNew && !isKnown)
      await rm(deploymentFiles.release(folder, id), { recursive: true, force: true })
  }
}

/**
 * Stores the settings of the deployment; returns a function that restores the previous ones. Throws a `JexoError`, and
 * stores nothing, if others could call without any check.
 */
async function settle({
  settings: given,
  environment: more,
  makesToken,
}: ShipHeader): Promise<() => Promise<void>> {
  const before = await readSettings(folder)
  const settings: DeploymentSettings = { ...before, ...given }
  const file = deploymentFiles.environment(folder)
  const text = await readFile(file, 'utf8').catch(() => '')
  const known = parse(text)
  const isPublic = !isLoopback(settings.host) || settings.publicUrl !== undefined
  const hasAccess = ['JEXO_TOKEN', 'JEXO_ISSUER', 'JEXO_TOKENS'].some((name) => more[name] || known[name])
  if (isPublic && !hasAccess && !settings.isOpenToAnyone) {
    if (!makesToken) throw transportErrors.publicWithoutAccess(settings.publicUrl ?? settings.host)
    more.JEXO_TOKEN = randomBytes(24).toString('base64url')
  }
  if (!isLoopback(settings.host) && settings.publicUrl === undefined && !settings.allowedHosts?.length)
    throw serveErrors.publicWithoutName(settings.host)
  const added = Object.entries(more).filter(([name, value]) => known[name] !== value)
  const kept = text.split('\n').filter((line) => !added.some(([name]) => line.startsWith(`${name}=`)))
  const lines = [...kept.filter((line, at) => line !== '' || at < kept.length - 1), ...added.map(variableLine)]
  const had = await readJson<DeploymentSettings>(deploymentFiles.settings(folder))
  if (added.length > 0) await writeWhole(file, `${lines.join('\n')}\n`)
  await writeJson(deploymentFiles.settings(folder), settings)
  return async () => {
    if (added.length > 0) await writeWhole(file, text)
    if (had) await writeJson(deploymentFiles.settings(folder), had)
    else await rm(deploymentFiles.settings(folder), { force: true })
  }
}

/**
 * A line of a `.env` file: quoted with a quote that the value does not contain. Throws a `JexoError` if it contains all
 * of them.
 */
function variableLine([name, value]: [string, string]): string {
  if (/^[\w./:@%+-]*$/.test(value)) return `${name}=${value}`
  const quote = ["'", '`', '"'].find((sign) => !value.includes(sign))
  if (quote === undefined || (quote === '"' && value.includes('\\')))
    throw kitErrors.argumentUnreadable(`the value of ${name}`, 'one without quotes of all three kinds')
  return `${name}=${quote}${value}${quote}`
}

/** Includes the callers' token in the response to `ship`. */
function withToken(event: FarEvent): void {
  if (!('done' in event)) return tell(event)
  const token = existsSync(deploymentFiles.environment(folder))
    ? parse(readFileSync(deploymentFiles.environment(folder), 'utf8')).JEXO_TOKEN
    : undefined
  tell({ done: { ...event.done, ...(token ? { token } : {}) } })
}

async function status(): Promise<void> {
  if (await isSupervised(folder)) return give(folder, { verb: 'status' }, tell)
  const { host, port, path, publicUrl } = await readSettings(folder)
  const { current, releases } = await readMemory(folder)
  tell({
    status: {
      url: urlAt(host, port, path),
      isRunning: false,
      ...(publicUrl === undefined ? {} : { publicUrl }),
      ...(current === undefined ? {} : { current }),
      releases: releases.map((note) => ({ ...note, state: 'kept', sessions: 0 })),
    },
  })
}

/** The last log lines of the current release and the supervisor. */
async function logs(count: number): Promise<void> {
  const { current } = await readMemory(folder)
  const texts: string[] = []
  for (const name of ['supervisor', ...(current === undefined ? [] : [current])]) {
    const text = await readFile(deploymentFiles.log(folder, name), 'utf8').catch(() => '')
    texts.push(`== ${name}\n${text.trimEnd().split('\n').slice(-count).join('\n')}`)
  }
  tell({ logs: texts.join('\n') })
}

main(process.argv.slice(2)).catch((error) => {
  tell({ failed: failureOf(error) })
  process.exitCode = 1
})
