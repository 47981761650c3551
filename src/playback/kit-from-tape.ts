import { readFile } from 'node:fs/promises'
import { resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import type { Kit } from '../kit/kit.js'
import { shared } from '../kit/shared.js'
import { shownPath } from '../kit-file/shown-path.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { tapeErrors } from '../tape/errors.js'
import { readTape } from '../tape/read.js'
import { kitOfPlan } from '../wrap/server/kit-of-plan.js'
import { serverPartsOf } from '../wrap/server/parts.js'
import { planServerParts } from '../wrap/server/plan.js'
import type { ServerReading } from '../wrap/server/reading.js'
import { uriMap } from '../wrap/server/uris.js'
import { playbackErrors } from './errors.js'
import { type Exchange, exchangesOn, targetsOn } from './exchanges.js'
import { type PlaybackOptions, RecordedServer } from './recorded-server.js'

export interface TapeKitOptions extends PlaybackOptions {
  /** Which target of the tape, if it has several: its id. By default all sessions of the first server. */
  readonly target?: string
}

/**
 * A kit that answers as the server on a tape did: the same requests get the same responses, with the recorded timing,
 * progress, log messages and questions. Other requests are refused; the error names the nearest recorded one. Use it to
 * develop and test hosts, agents and views without the server. Rejects with a `JexoError` if the tape cannot be read or
 * contains no session.
 *
 * @example const link = await connect(await kitFromTape('hives.tape.jsonl', { speed: 0 }))
 */
export async function kitFromTape(tape: string | URL, options: TapeKitOptions = {}): Promise<Kit> {
  const file = tape instanceof URL ? fileURLToPath(tape) : resolve(tape)
  const shown = shownPath(file)
  const text = await readFile(file, 'utf8').catch((error: NodeJS.ErrnoException) => {
    throw tapeErrors.tapeUnreadable(shown, 1, `the file cannot be read (${error.code ?? error.message})`)
  })
  const entries = readTape(shown, text)
  const targets = targetsOn(entries)
  const { target } = options
  if (target !== undefined && !targets.includes(target)) throw playbackErrors.targetMissing(shown, target, targets)
  const sessions = (target === undefined ? targets : [target]).map((one) => exchangesOn(entries, one))
  const server = serverOf(sessions[0] ?? [])
  const exchanges = sessions.filter((session) => serverOf(session) === server).flat()
  const reading = readingOf(exchanges)
  if (!reading) throw playbackErrors.nothingRecorded(shown)
  const plan = planServerParts(reading)
  const recorded = shared(() => new RecordedServer(exchanges, options))
  return kitOfPlan(plan, serverPartsOf(plan, recorded, uriMap(undefined)))
}

/** Name of the server in a session. */
function serverOf(exchanges: readonly Exchange[]): string | undefined {
  const { serverInfo } = resultsOf(exchanges, 'initialize')[0] ?? {}
  return isObject(serverInfo) ? String(serverInfo.name) : undefined
}

/** The parts of the server according to the lists on the tape; for a part that was called but not listed, the known properties. */
function readingOf(exchanges: readonly Exchange[]): ServerReading | undefined {
  const opened = resultsOf(exchanges, 'initialize').at(-1)
  if (!opened || !isObject(opened.serverInfo)) return undefined
  const { name, version, title } = opened.serverInfo
  const listed = (method: string, field: string, key: string) => {
    const items = resultsOf(exchanges, method).flatMap((result) =>
      Array.isArray(result[field]) ? result[field] : [],
    )
    return [...new Map(items.filter(isObject).map((item) => [item[key], item])).values()]
  }
  const tools = listed('tools/list', 'tools', 'name')
  const called = new Set(
    exchanges.filter(({ method }) => method === 'tools/call').map(({ params }) => String(params.name)),
  )
  for (const { name } of tools) called.delete(String(name))
  const unlisted = [...called].map((name) => ({
    name,
    description: `The recorded tool ${name}.`,
    inputSchema: { type: 'object' },
  }))
  const read = new Set(
    exchanges
      .filter(({ method, outcome }) => method === 'resources/read' && 'result' in outcome)
      .map(({ params }) => String(params.uri)),
  )
  const resources = listed('resources/list', 'resources', 'uri')
  for (const { uri } of resources) read.delete(String(uri))
  return {
    server: { name: String(name), version: String(version), ...(typeof title === 'string' ? { title } : {}) },
    ...(typeof opened.instructions === 'string' ? { instructions: opened.instructions } : {}),
    completes: exchanges.some(({ method }) => method === 'completion/complete'),
    tools: [...tools, ...unlisted],
    resources: [...resources, ...[...read].map((uri) => ({ uri, name: uri }))],
    templates: listed('resources/templates/list', 'resourceTemplates', 'uriTemplate'),
    prompts: listed('prompts/list', 'prompts', 'name'),
  } as unknown as ServerReading
}

const resultsOf = (exchanges: readonly Exchange[], wanted: string): JsonObject[] =>
  exchanges.flatMap(({ method, outcome }) => (method === wanted && 'result' in outcome ? [outcome.result] : []))
