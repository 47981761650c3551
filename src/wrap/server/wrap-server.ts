import { isJexoError, messageOf } from '../../errors.js'
import { type Override, override } from '../../kit/choose.js'
import { kitErrors } from '../../kit/errors.js'
import type { Kit } from '../../kit/kit.js'
import { keyOf, type Part, type ToolPart } from '../../kit/part.js'
import { shared } from '../../kit/shared.js'
import { withoutPages } from '../../kit/view.js'
import type { JsonObject } from '../../protocol/messages.js'
import type { ConnectOptions } from '../../transport/connect.js'
import { catalogueParts } from '../catalogue/catalogue.js'
import { frozenOr } from '../source/frozen.js'
import { wordMarks } from '../source/program-words.js'
import { kitOfPlan } from './kit-of-plan.js'
import { oneAtATime } from './one-at-a-time.js'
import { isAddress, labelOf, openerOf, type ServerTarget } from './opener.js'
import { serverPartsOf } from './parts.js'
import { planServerParts, type ServerPlan, type ServerPlanOptions } from './plan.js'
import { readServer } from './reading.js'
import { type ChangedLists, Upstreams } from './upstreams.js'
import { uriMap } from './uris.js'

export interface WrapServerOptions extends ServerPlanOptions, Pick<ConnectOptions, 'headers' | 'signIn'> {
  /** Creates three tools that search, explain and call the server's tools, instead of one tool each. */
  readonly catalogue?: boolean
  /** Descriptions and other fields of parts, by their new names. */
  readonly override?: Readonly<Record<string, Override>>
  /**
   * A session of the server for each caller, or one for all. A shared session cannot send requests to callers: no
   * forms, no sampling, no roots. Stateless HTTP always uses a shared one. Default: `per-caller`.
   */
  readonly sessions?: 'per-caller' | 'shared'
  /** Maximum number of separate sessions of callers. Default: 100. */
  readonly maxSessions?: number
  /** Time limit of a request in milliseconds; progress extends it. Default: 300,000. */
  readonly timeoutMs?: number
}

const timeouts = { plan: 30_000, request: 300_000 }

/**
 * Turns the tools, resources, templates and prompts of a server into parts. Requests pass through in both directions
 * with progress, cancellation, logs, completions, subscriptions, questions to the user and to the model, and roots.
 * Changed lists replace the parts.
 *
 * Rejects with a `JexoError` if the server cannot be reached, or a name matches nothing.
 *
 * @example
 * parts: await wrapServer({ command: 'node', args: ['old-server.mjs'] }, { only: ['get_*'], prefix: 'old_' })
 */
export async function wrapServer(target: ServerTarget, options: WrapServerOptions = {}): Promise<Part[]> {
  return wrapped(target, options, await planServer(target, options))
}

/** Returns the plan, as `jexo wrap` shows it. Connects to the server and reads its lists. */
export function planServer(target: ServerTarget, options: WrapServerOptions = {}): Promise<ServerPlan> {
  checkOptions(target, options)
  const planOptions = planOptionsOf(options)
  return frozenOr('server', sourceOf(target), planOptions as JsonObject, async () => {
    const link = await openerOf(target, { ...options, timeoutMs: timeouts.plan })({ views: true })
    try {
      return planServerParts(await readServer(link), planOptions)
    } finally {
      await link.close()
    }
  })
}

/** A kit that represents a server: its name, version and instructions, and all or the chosen parts. */
export async function kitFromServer(target: ServerTarget, options: WrapServerOptions = {}): Promise<Kit> {
  const plan = await planServer(target, options)
  return kitOfPlan(plan, wrapped(target, options, plan))
}

function wrapped(target: ServerTarget, options: WrapServerOptions, plan: ServerPlan): Part[] {
  const { sessions = 'per-caller', maxSessions = 100, timeoutMs = timeouts.request } = options
  const label = isAddress(target) ? labelOf(target) : plan.server.name
  const uris = uriMap(options.uriPrefix)
  let parts: Part[] = []
  const partsOf = (from: ServerPlan) => {
    const made = serverPartsOf(from, upstreams, uris)
    const keys = new Set(made.map(keyOf))
    // Overrides for removed parts are ignored.
    const changes = Object.entries(options.override ?? {}).filter(([key]) => from === plan || keys.has(key))
    const reworded = override(made, Object.fromEntries(changes))
    return options.catalogue ? asCatalogue(reworded, from, options.prefix) : reworded
  }
  const upstreams = shared(
    (opening) => {
      const changed = oneAtATime(
        async ({ link, showsViews }: ChangedLists) => {
          const reading = await readServer(link)
          const before = parts
          const now = partsOf(planServerParts(reading, { ...planOptionsOf(options), isLenient: true }))
          // The server lists no views for a caller that does not show them.
          parts = showsViews ? now : [...now, ...pagesMissing(before, now)]
          opening.exchange(before, parts)
        },
        (error) => {
          if (!(isJexoError(error) && error.code === 'closed'))
            opening.report('warning', `${label}: its changed lists could not be read: ${messageOf(error)}`)
        },
      )
      // The time limit of requests does not apply to the start of a process.
      const open = openerOf(target, { ...options, timeoutMs: timeouts.plan })
      return new Upstreams({ label, open, sessions, maxSessions, timeoutMs, uris, changed }, opening)
    },
    (opened: Upstreams) => opened.close(),
  )
  parts = partsOf(plan)
  return parts
}

/** Previously listed views, and tools that only views may call. */
function pagesMissing(before: readonly Part[], now: readonly Part[]): Part[] {
  const known = new Set(now.map(keyOf))
  const others = new Set(withoutPages(before))
  return before.filter((part) => !others.has(part) && !known.has(keyOf(part)))
}

/** The tools of the server as a catalogue of three. */
function asCatalogue(parts: readonly Part[], { server }: ServerPlan, prefix: string | undefined): Part[] {
  const isForModel = (part: Part): part is ToolPart => part.kind === 'tool' && part.forPages !== 'only'
  const tools = parts.filter(isForModel)
  const entries = tools.map(({ name, title, about, effect, tags = [], inputSchema, outputSchema, run }) => ({
    ...{ name, title, about, effect, tags, examples: [] },
    input: () => inputSchema,
    output: () => outputSchema,
    run,
  }))
  const three = catalogueParts(entries, { title: server.title ?? server.name, noun: 'tool', prefix })
  return [...three, ...parts.filter((part) => !isForModel(part))]
}

const planOptionsOf = ({
  only,
  except,
  prefix,
  rename,
  uriPrefix,
  tags,
}: WrapServerOptions): ServerPlanOptions => ({
  ...(only ? { only } : {}),
  ...(except ? { except } : {}),
  ...(prefix === undefined ? {} : { prefix }),
  ...(rename ? { rename } : {}),
  ...(uriPrefix === undefined ? {} : { uriPrefix }),
  ...(tags ? { tags } : {}),
})

/** The options that the plan depends on, without headers and variables. */
function sourceOf(target: ServerTarget): JsonObject {
  if (isAddress(target)) return { url: String(target) }
  const { command, args = [] } = target
  return { command, args: wordMarks(args) }
}

function checkOptions(
  target: ServerTarget,
  { prefix, rename, uriPrefix, sessions, maxSessions }: WrapServerOptions,
): void {
  const label = 'the wrapped server'
  if (
    isAddress(target)
      ? !/^https?:\/\//.test(String(target))
      : typeof target?.command !== 'string' || target.command === ''
  )
    throw kitErrors.partField(
      label,
      'target',
      "a URL, or a command as in { command: 'node', args: ['server.mjs'] }",
    )
  if (prefix !== undefined && !/^[A-Za-z0-9_.-]{0,64}$/.test(prefix))
    throw kitErrors.partField(label, 'prefix', 'letters, digits, "_", "-" and ".", 64 at most')
  const illegal = Object.values(rename ?? {}).find((name) => !/^[A-Za-z0-9_.-]{1,128}$/.test(name))
  if (illegal !== undefined)
    throw kitErrors.partField(label, `rename: ${illegal}`, 'letters, digits, "_", "-" and ".", 128 at most')
  if (uriPrefix !== undefined && !/^[a-z][a-z0-9-]{0,31}$/.test(uriPrefix))
    throw kitErrors.partField(label, 'uriPrefix', 'at most 32 lower-case letters, digits and dashes')
  if (sessions !== undefined && sessions !== 'per-caller' && sessions !== 'shared')
    throw kitErrors.partField(label, 'sessions', 'per-caller or shared')
  if (maxSessions !== undefined && !(Number.isInteger(maxSessions) && maxSessions >= 1))
    throw kitErrors.partField(label, 'maxSessions', 'a whole number from 1')
}
