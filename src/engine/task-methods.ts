import { ownerOf } from '../kit/owner.js'
import type { ToolPart } from '../kit/part.js'
import type { Incoming } from '../protocol/incoming.js'
import { codes, RpcError, rpcErrors } from '../protocol/rpc-error.js'
import { isUnavailable } from '../store/errors.js'
import { readTtl, type Task } from '../tasks/task.js'
import type { TaskRequest } from '../tasks/task-request.js'
import { startDurable } from './durable-start.js'
import type { Feature } from './feature.js'
import type { Session } from './session.js'

/** tasks/get, tasks/list, tasks/result and tasks/cancel, if the kit has tools that run as tasks (Tasks). */
export const tasks: Feature = {
  declare: (index, _isStateless, _running, session) => {
    if (![...index.tools.values()].some(({ part }) => part.task !== undefined)) return {}
    // Callers that cannot be distinguished must not see each other's tasks.
    const isListed = session.identity !== undefined || session.network !== 'tcp'
    return { tasks: { ...(isListed ? { list: {} } : {}), cancel: {}, requests: { tools: { call: {} } } } }
  },
  isOffered: hasTasks,
  requests: {
    'tasks/get': (session, { params }) => clearly(session.running.tasks.get(params.taskId, ownerIn(session))),
    'tasks/list': (session, { method, params }) => {
      if (!session.capabilities.tasks?.list) throw rpcErrors.methodNotFound(method)
      return clearly(session.running.tasks.list(ownerIn(session), params.cursor))
    },
    'tasks/result': (session, incoming) => clearly(session.running.tasks.result(incoming, ownerIn(session))),
    'tasks/cancel': (session, { params }) => clearly(session.running.tasks.cancel(params.taskId, ownerIn(session))),
  },
}

/** An unreachable store is not a defect of this program: the caller gets an error that says what to do. */
function clearly<T>(result: Promise<T>): Promise<T>
function clearly<T>(result: T | Promise<T>): T | Promise<T>
function clearly<T>(result: T | Promise<T>): T | Promise<T> {
  if (!(result instanceof Promise)) return result
  return result.catch((error) => {
    throw isUnavailable(error) ? new RpcError(codes.internal, `${error.problem}; try again shortly`) : error
  })
}

function hasTasks({ revision, capabilities }: Session): boolean {
  return revision.tasks && capabilities.tasks !== undefined
}

const ownerIn = ({ identity }: Session): string | undefined => identity && ownerOf(identity)

/**
 * Answers a call with a task if the caller requests one; undefined if it should be answered directly. Throws an
 * `RpcError` if the tool cannot run in the requested way.
 */
export function asTask(
  session: Session,
  incoming: Incoming,
  part: ToolPart,
  work: (request: TaskRequest) => unknown,
): { task: Task } | Promise<{ task: Task }> | undefined {
  if (!hasTasks(session)) return undefined
  const { name, task: support } = part
  const { task } = incoming.params
  if (task === undefined) {
    if (support === 'required')
      throw new RpcError(codes.methodNotFound, `Tool ${name} runs as a task only; send "task" with the call`)
    return undefined
  }
  const ttlMs = readTtl(task)
  if (support === undefined) throw new RpcError(codes.methodNotFound, `Tool ${name} does not run as a task`)
  const durable = startDurable(session, incoming, part, ttlMs)
  if (durable) return clearly(durable.then((task) => ({ task })))
  const ask = session.network === 'tcp' ? undefined : session.ask.bind(session)
  const peer = { notify: session.notify.bind(session), ask }
  const asked = { incoming, ttlMs, owner: ownerIn(session), identity: session.identity, peer }
  const made = session.running.tasks.create({ ...asked, work })
  return made instanceof Promise ? clearly(made.then((created) => ({ task: created }))) : { task: made }
}
