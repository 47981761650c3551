import type { Identity } from '../kit/call.js'
import { ownerOf, plainIdentity } from '../kit/owner.js'
import type { ToolPart } from '../kit/part.js'
import type { Incoming } from '../protocol/incoming.js'
import type { JsonObject } from '../protocol/messages.js'
import type { Task } from '../tasks/task.js'
import type { Session } from './session.js'
import { stateOf } from './session-state.js'

/** The data with which another process can execute a call. */
export interface DurableData {
  request: { id: string | number; method: string; params: JsonObject }
  session: { id: string | undefined; only: string | undefined; state: unknown }
  identity?: Identity
}

/** Adds a call as a job for any process; undefined if the server has no store for jobs. */
export function startDurable(
  session: Session,
  incoming: Incoming,
  { durable }: ToolPart,
  ttlMs: number,
): Promise<Task> | undefined {
  const { running, identity } = session
  const { mirror } = running.tasks
  const jobs = running.sharing?.jobs
  if (!durable || !mirror || !jobs) return undefined
  const { id, method, params } = incoming
  const data = {
    request: { id, method, params },
    session: { id: session.sessionId, only: session.only, state: stateOf(session) },
    ...(identity ? { identity: plainIdentity(identity) } : {}),
  }
  const { attempts, backoff } = durable
  const options = { attempts, backoffMs: backoff.firstMs, isGrowing: backoff.grows, ttlMs }
  return mirror.handIn(ttlMs, identity && ownerOf(identity), (taskId) =>
    jobs.add(taskId, data as unknown as JsonObject, options),
  )
}
