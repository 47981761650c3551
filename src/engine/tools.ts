import { closestTo, suggestion } from '../kit/closest.js'
import { isRefusal } from '../kit/refusal.js'
import { explainIssues } from '../kit/validation.js'
import { PassedError } from '../kit/verbatim.js'
import { when } from '../kit/when.js'
import { toolResultFor } from '../protocol/downgrade.js'
import type { Incoming } from '../protocol/incoming.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { rpcErrors } from '../protocol/rpc-error.js'
import type { ToolResult } from '../protocol/types.js'
import type { Task } from '../tasks/task.js'
import { TaskRequest } from '../tasks/task-request.js'
import { callFor } from './call-context.js'
import { failed, toolFailure } from './failures.js'
import type { Feature } from './feature.js'
import { keptPage } from './kept-lists.js'
import { layersFor, throughLayers } from './layered.js'
import { paginate } from './pages.js'
import { stringParam } from './params.js'
import { definitionsOf, type ReadyTool } from './part-index.js'
import { askForMissing, confirmed } from './permission.js'
import { visitError } from './person.js'
import type { RunningKit } from './running-kit.js'
import type { Session } from './session.js'
import { asTask } from './task-methods.js'
import { toolResult } from './tool-result.js'

/** tools/list and tools/call (Tools). */
export const tools: Feature = {
  declare: (index, isStateless) => {
    if (!isStateless) return { tools: { listChanged: true } }
    return index.tools.size > 0 ? { tools: {} } : {}
  },
  isOffered: (session) => session.capabilities.tools !== undefined,
  requests: { 'tools/list': list, 'tools/call': call },
}

function list(session: Session, { params }: Incoming) {
  const { index, revision } = session
  const { pageSize } = session.running
  return keptPage(index, 'tools', revision, params, () => {
    const { items, ...next } = paginate(
      'tools',
      definitionsOf(index.tools, revision),
      params,
      index.latestPlace,
      pageSize,
    )
    return { tools: items, ...next }
  })
}

type Called = ToolResult | { task: Task }

function call(session: Session, incoming: Incoming): Called | Promise<Called> {
  const { params } = incoming
  const name = stringParam(params, 'name')
  if (params.arguments !== undefined && !isObject(params.arguments)) {
    throw rpcErrors.invalidParams('"arguments" must be an object')
  }
  const ready = session.index.tools.get(name)
  if (!ready) {
    const closest = closestTo(name, [...session.index.tools.keys()])
    throw rpcErrors.invalidParams(`unknown tool ${JSON.stringify(name)}${suggestion(closest)}`, { closest })
  }
  const given = params.arguments ?? {}
  const task = asTask(session, incoming, ready.part, (request) => carryOut(session, request, ready, given))
  return task ?? carryOut(session, incoming, ready, given)
}

/** Size of results that are too large for a model, in characters. */
const largeResult = 1_000_000
const remarked = new WeakMap<RunningKit, Set<string>>()

/** Reported once for each tool: a result of a megabyte exceeds the context of a model. */
function remarkSize(running: RunningKit, name: string, { content = [] }: ToolResult): void {
  let size = 0
  for (const block of content)
    size += (block.type === 'text' ? block.text : 'data' in block ? block.data : '').length
  if (size < largeResult) return
  const said = remarked.get(running) ?? new Set()
  remarked.set(running, said)
  if (said.has(name)) return
  said.add(name)
  const tokens = Math.round(size / 4000) * 1000
  running.report(
    'warning',
    `tool ${name} returned ${(size / 1e6).toFixed(1)} MB, about ${tokens.toLocaleString('en')} tokens of a model's context; return less, or a resource link`,
  )
}

/** Executes a call. Returns a promise only if a step is asynchronous, since each `await` costs a turn of the event loop. */
function carryOut(
  session: Session,
  incoming: Incoming,
  ready: ReadyTool,
  given: JsonObject,
): ToolResult | Promise<ToolResult> {
  try {
    const asks = ready.part.askFor.length > 0 || ready.part.confirm
    const result = asks ? askAndRun(session, incoming, ready, given) : checkAndRun(session, incoming, ready, given)
    if (!(result instanceof Promise)) return result
    return result.catch((error) => failedCall(session, incoming, ready, error))
  } catch (error) {
    return failedCall(session, incoming, ready, error)
  }
}

/** Asks the user for missing arguments and for confirmation, if the tool requires it. */
async function askAndRun(
  session: Session,
  incoming: Incoming,
  ready: ReadyTool,
  given: JsonObject,
): Promise<ToolResult> {
  const { running } = session
  const { part } = ready
  const args = part.askFor.length > 0 ? await askForMissing(session, incoming, part, given) : given
  if (typeof args === 'string') return failed(running, args)
  return checkAndRun(session, incoming, ready, args, async (input) => {
    const refused = part.confirm ? await confirmed(session, incoming, part, input) : undefined
    return refused === undefined ? run(session, incoming, ready, input) : failed(running, refused)
  })
}

function checkAndRun(
  session: Session,
  incoming: Incoming,
  ready: ReadyTool,
  args: JsonObject,
  go = (input: unknown) => run(session, incoming, ready, input),
): ToolResult | Promise<ToolResult> {
  const { part, checkInput } = ready
  return when(checkInput(args), (checked) =>
    checked.ok
      ? go(checked.value)
      : failed(session.running, explainIssues(part.name, part.inputSchema, args, checked.issues)),
  )
}

/** Runs the author's function, inside the layers of the tool. */
function run(
  session: Session,
  incoming: Incoming,
  ready: ReadyTool,
  input: unknown,
): ToolResult | Promise<ToolResult> {
  const { running } = session
  const { part } = ready
  const layers = layersFor(ready.layers, 'tools/call')
  const returned = running.carry(`tool \`${part.name}\``, () =>
    layers.length === 0
      ? part.run(input, callFor(session, incoming, part.name))
      : // A spread here would cost more than the layers.
        throughLayers({
          session,
          incoming,
          part,
          layers,
          method: 'tools/call',
          input,
          check: ready.checkInput,
          run: part.run,
        }),
  )
  return when(returned, (value) =>
    when(toolResult(running, ready, value), (result) => {
      remarkSize(running, part.name, result)
      return toolResultFor(session.revision, result)
    }),
  )
}

function failedCall(session: Session, incoming: Incoming, { part }: ReadyTool, error: unknown): ToolResult {
  if (incoming.isOver) return { content: [] }
  if (error instanceof PassedError) throw error
  const visit = isRefusal(error) ? visitError(session, error) : undefined
  if (visit) throw visit
  if (incoming instanceof TaskRequest) incoming.failure = error
  return toolFailure(session.running, part.name, error)
}

/** Executes the call of a durable task. */
export async function carryOutCall(session: Session, request: TaskRequest): Promise<JsonObject> {
  const { name, arguments: given } = request.params
  const ready = session.index.tools.get(String(name))
  if (!ready) return failed(session.running, `There is no tool ${String(name)} any more.`) as unknown as JsonObject
  return (await carryOut(session, request, ready, isObject(given) ? given : {})) as unknown as JsonObject
}
