import { spawn } from 'node:child_process'
import { randomBytes, timingSafeEqual } from 'node:crypto'
import { closeSync, mkdirSync, openSync } from 'node:fs'
import { rm } from 'node:fs/promises'
import { createServer, type Server } from 'node:http'
import { dirname } from 'node:path'
import { isJexoError, JexoError, messageOf } from '../../errors.js'
import {
  deploymentFiles,
  type Failure,
  type FarEvent,
  type ReleaseNote,
  type RunningNote,
  readJson,
  writeJson,
} from '../deployment.js'
import { shipErrors } from '../errors.js'
import { Supervisor } from './supervisor.js'

/** Requests to the running supervisor. */
export type Order =
  | { verb: 'switch'; note: ReleaseNote }
  | { verb: 'rollback'; id?: string }
  | { verb: 'status' }
  | { verb: 'stop' }

/**
 * Runs the supervisor of a folder until it is stopped, and accepts requests on the loopback interface. Rejects if it
 * cannot start.
 */
export async function superviseHere(folder: string, log: (text: string) => void): Promise<void> {
  const supervisor = await Supervisor.open(folder, log)
  const token = randomBytes(24).toString('base64url')
  let stop = () => {}
  const stopped = new Promise<void>((resolve) => {
    stop = resolve
  })
  const server = orders(supervisor, token, stop)
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const { port } = server.address() as { port: number }
  await writeJson(deploymentFiles.running(folder), { pid: process.pid, port, token } satisfies RunningNote)
  log(`at ${supervisor.status().url}`)
  process.send?.({ ready: true })
  for (const signal of ['SIGTERM', 'SIGINT'] as const) process.once(signal, stop)
  await stopped
  log('stopping')
  server.close()
  await supervisor.close()
  await rm(deploymentFiles.running(folder), { force: true })
}

function orders(supervisor: Supervisor, token: string, stop: () => void): Server {
  return createServer((request, response) => {
    if (!isSame(request.headers['x-jexo-token'], token)) return void response.writeHead(401).end()
    let text = ''
    request.on('data', (chunk) => {
      text += chunk
    })
    request.on('end', async () => {
      response.writeHead(200, { 'content-type': 'application/jsonl' })
      const tell = (event: FarEvent) => response.write(`${JSON.stringify(event)}\n`)
      try {
        await carryOut(JSON.parse(text) as Order, supervisor, tell, stop)
      } catch (error) {
        tell({ failed: failureOf(error) })
        // Without a release there is nothing to serve.
        if (!supervisor.hasRelease) stop()
      }
      response.end()
    })
  })
}

async function carryOut(
  order: Order,
  supervisor: Supervisor,
  tell: (event: FarEvent) => void,
  stop: () => void,
): Promise<void> {
  const say = (text: string) => tell({ say: text })
  if (order.verb === 'switch' || order.verb === 'rollback') {
    const note = order.verb === 'switch' ? order.note : supervisor.before(order.id)
    const tools = await supervisor.switchTo(note, say)
    const { url, publicUrl } = supervisor.status()
    tell({ done: { id: note.id, url, tools, ...(publicUrl === undefined ? {} : { publicUrl }) } })
  } else if (order.verb === 'status') tell({ status: supervisor.status() })
  else stop()
}

export function failureOf(error: unknown): Failure {
  if (!isJexoError(error)) return { code: 'unexpected', problem: messageOf(error), fix: readTheLogs }
  const { code, problem, fix, location } = error
  return { code, problem, fix, location }
}

function isSame(given: unknown, wanted: string): boolean {
  const [a, b] = [Buffer.from(String(given)), Buffer.from(wanted)]
  return a.length === b.length && timingSafeEqual(a, b)
}

/** True if a supervisor runs for the folder. */
export async function isSupervised(folder: string): Promise<boolean> {
  const note = await readJson<RunningNote>(deploymentFiles.running(folder))
  if (!note) return false
  const response = await ask(note, { verb: 'status' }).catch(() => undefined)
  return response?.ok === true
}

/**
 * Starts the supervisor of a folder in the background, unless it is running. Rejects with the reason if it does not
 * start.
 */
export async function ensureSupervised(folder: string): Promise<void> {
  if (await isSupervised(folder)) return
  const file = deploymentFiles.log(folder, 'supervisor')
  mkdirSync(dirname(file), { recursive: true })
  const log = openSync(file, 'a', 0o600)
  const child = spawn(process.execPath, [process.argv[1] ?? '', 'run'], {
    cwd: folder,
    detached: true,
    stdio: ['ignore', log, log, 'ipc'],
  })
  closeSync(log)
  await new Promise<void>((resolve, reject) => {
    child.once('message', (message: { ready?: true; failed?: Failure }) =>
      message.ready ? resolve() : reject(relayedFailure(message.failed)),
    )
    child.once('error', (error) => reject(shipErrors.supervisorFailed(error.message)))
    child.once('exit', (code) => reject(shipErrors.supervisorFailed(`it ended with code ${code}; see ${file}`)))
  })
  child.disconnect()
  child.unref()
}

/** An error of the other process, with its code. */
export const relayedFailure = (failure: Failure | undefined): Error => {
  const { code, problem, fix, location } = failure ?? { code: 'unexpected', problem: 'it failed', fix: readTheLogs }
  return new JexoError(code, problem, fix, location)
}

const readTheLogs = 'read the logs of the deployment: jexo ship --to … --logs'

/** Sends an order to the running supervisor, and passes on its messages. */
export async function give(folder: string, order: Order, hear: (event: FarEvent) => void): Promise<void> {
  const note = await readJson<RunningNote>(deploymentFiles.running(folder))
  if (!note) throw shipErrors.deploymentNotRunning()
  const response = await ask(note, order).catch(() => {
    throw shipErrors.deploymentNotRunning()
  })
  let rest = ''
  const decoder = new TextDecoder()
  for await (const chunk of response.body ?? []) {
    const lines = (rest + decoder.decode(chunk, { stream: true })).split('\n')
    rest = lines.pop() ?? ''
    for (const line of lines) if (line) hear(JSON.parse(line) as FarEvent)
  }
}

const ask = ({ port, token }: RunningNote, order: Order) =>
  fetch(`http://127.0.0.1:${port}/`, {
    method: 'POST',
    headers: { 'x-jexo-token': token },
    body: JSON.stringify(order),
  })
