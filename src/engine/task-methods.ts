import { ownerOf } from '../kit/owner.js'
import type { ToolPart } from '../kit/part.js'
import type { Incoming } from '../protocol/incoming.js'
import { codes, RpcError, rpcErrors } from '../protocol/rpc-error.js'
import { readTtl, type Task } from '../tasks/task.js'
import type { TaskRequest } from '../tasks/task-request.js'
import type { Feature } from './feature.js'
import type { Session } from './session.js'

/** tasks/get, tasks/list, tasks/result and tasks/cancel, where the kit has tools that run as tasks (Tasks). */
export const tasks: Feature = {
  declare: (index, _isStateless, _running, session) => {
    if (![...index.tools.values()].some(({ part }) => part.task !== undefined)) return {}
    // Callers that cannot be told apart must not see each other's.
    const isListed = session.identity !== undefined || session.network !== 'tcp'
    return { tasks: { ...(isListed ? { list: {} } : {}), cancel: {}, requests: { tools: { call: {} } } } }
  },
  isOffered: hasTasks,
  answers: {
    'tasks/get': (session, { params }) => session.running.tasks.get(params.taskId, ownerIn(session)),
    'tasks/list': (session, { method, params }) => {
      if (!session.capabilities.tasks?.list) throw rpcErrors.methodNotFound(method)
      return session.running.tasks.list(ownerIn(session), params.cursor)
    },
    'tasks/result': (session, incoming) => session.running.tasks.result(incoming, ownerIn(session)),
    'tasks/cancel': (session, { params }) => session.running.tasks.cancel(params.taskId, ownerIn(session)),
  },
}

function hasTasks({ revision, capabilities }: Session): boolean {
  return revision.tasks && capabilities.tasks !== undefined
}

const ownerIn = ({ identity }: Session): string | undefined => identity && ownerOf(identity)

/**
 * Answers a call with a task where the caller asks for one; undefined where it is to be answered itself. Throws an `RpcError` if the tool cannot run in the
 * way that was asked for.
 */
export function asTask(
  session: Session,
  incoming: Incoming,
  { name, task: support }: ToolPart,
  work: (request: TaskRequest) => unknown,
): { task: Task } | undefined {
  if (!hasTasks(session)) return undefined
  const { task } = incoming.params
  if (task === undefined) {
    if (support === 'required')
      throw new RpcError(codes.methodNotFound, `Tool ${name} runs as a task only; send "task" with the call`)
    return undefined
  }
  const ttlMs = readTtl(task)
  if (support === undefined) throw new RpcError(codes.methodNotFound, `Tool ${name} does not run as a task`)
  const ask = session.network === 'tcp' ? undefined : session.ask.bind(session)
  const peer = { notify: session.notify.bind(session), ask }
  return {
    task: session.running.tasks.create({
      incoming,
      ttlMs,
      owner: ownerIn(session),
      identity: session.identity,
      peer,
      work,
    }),
  }
}
