import { messageOf } from '../errors.js'
import { isRefusal } from '../kit/refusal.js'
import { type Job, leaveToOthers } from '../store/store.js'
import type { DurableData } from './durable-start.js'
import { Engine } from './engine.js'
import type { RunningKit } from './running-kit.js'
import { stateIn } from './session-state.js'
import { carryOutCall } from './tools.js'

/** Runs a job that this or another process has added. Rejects if it should be tried again. */
export async function takeUp(running: RunningKit, job: Job): Promise<void> {
  const { mirror } = running.tasks
  const { request, session, identity } = job.data as unknown as DurableData
  const state = stateIn(session.state)
  const tool = running.indexFor(undefined, undefined, true).tools.get(String(request.params.name))
  // Another version of the kit may have the tool.
  if (!mirror || !state || !tool?.part.durable)
    throw leaveToOthers(`there is no durable tool ${JSON.stringify(request.params.name)} here`)
  const { attempts } = tool.part.durable
  const known = await mirror.takeUp(job.id)
  if (!known) return
  const engine = new Engine(
    running,
    { send: (message) => running.reach?.send(session.id ?? '', message) },
    {
      isShared: true,
      restored: state,
      network: 'tcp',
      ...(session.id === undefined ? {} : { sessionId: session.id }),
      ...(identity ? { identity } : {}),
      ...(session.only === undefined ? {} : { only: session.only }),
    },
  )
  const { task, owner, text } = known
  const work = running.tasks.prepare(
    { incoming: request, ttlMs: task.ttl ?? 0, owner, identity, peer: { notify: engine.notify.bind(engine) } },
    {
      task,
      attempt: job.attempt,
      checkpoint: job.saved === undefined ? undefined : JSON.parse(job.saved),
      save: async (value) => job.save(JSON.stringify(value ?? null)),
    },
  )
  mirror.follow(work, text, true)
  try {
    if (job.attempt > attempts)
      return work.fail(`It was started ${attempts} times, and its process ended each time`)
    if (job.attempt > 1) work.say(`Restarted, attempt ${job.attempt} of ${attempts}`)
    const result = await carryOutCall(engine, work.request)
    if (work.isOver) return
    const { failure } = work.request
    if (running.isClosing) throw leaveToOthers('the process is stopping')
    if (failure !== undefined && !isRefusal(failure) && job.attempt < attempts) {
      work.say(`Attempt ${job.attempt} of ${attempts} failed; trying again`)
      throw failure instanceof Error ? failure : new Error(messageOf(failure))
    }
    await work.carryOut(
      () => result,
      (error) => running.report('error', messageOf(error)),
    )
  } finally {
    await mirror.settled()
    mirror.forget(work)
    // The status of an ended task is read from the shared store.
    running.tasks.drop(job.id)
    engine.handOver()
  }
}
