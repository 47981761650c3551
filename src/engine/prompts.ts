import { closestTo, suggestion } from '../kit/closest.js'
import { content, isContent } from '../kit/content.js'
import type { MessageGiven } from '../kit/part.js'
import { isVerbatim } from '../kit/verbatim.js'
import { promptResultFor } from '../protocol/downgrade.js'
import type { Incoming } from '../protocol/incoming.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { codes, RpcError, rpcErrors } from '../protocol/rpc-error.js'
import type { PromptMessage, PromptResult } from '../protocol/types.js'
import { callFor } from './call-context.js'
import { rpcFailure } from './failures.js'
import type { Feature } from './feature.js'
import { keptPage } from './kept-lists.js'
import { layersFor, throughLayers } from './layered.js'
import { paginate } from './pages.js'
import { stringParam } from './params.js'
import { definitionsOf, type ReadyPrompt } from './part-index.js'
import type { Session } from './session.js'

/** prompts/list and prompts/get (Prompts). */
export const prompts: Feature = {
  declare: (index, isStateless) => {
    if (!isStateless) return { prompts: { listChanged: true } }
    return index.prompts.size > 0 ? { prompts: {} } : {}
  },
  isOffered: (session) => session.capabilities.prompts !== undefined,
  requests: { 'prompts/list': list, 'prompts/get': get },
}

function list(session: Session, { params }: Incoming) {
  const { index } = session
  const { pageSize } = session.running
  return keptPage(index, 'prompts', session.revision, params, () => {
    const entries = definitionsOf(index.prompts, session.revision)
    const { items, ...next } = paginate('prompts', entries, params, index.latestPlace, pageSize)
    return { prompts: items, ...next }
  })
}

function get(session: Session, incoming: Incoming): Promise<PromptResult> {
  const { params } = incoming
  const name = stringParam(params, 'name')
  const ready = session.index.prompts.get(name)
  if (!ready) {
    const closest = closestTo(name, [...session.index.prompts.keys()])
    throw rpcErrors.invalidParams(`unknown prompt ${JSON.stringify(name)}${suggestion(closest)}`, { closest })
  }
  return fill(session, incoming, ready, argumentsOf(params))
}

function argumentsOf(params: JsonObject): JsonObject {
  const given = params.arguments ?? {}
  if (!isObject(given)) throw rpcErrors.invalidParams('"arguments" must be an object')
  for (const [name, value] of Object.entries(given)) {
    if (typeof value !== 'string') throw rpcErrors.invalidParams(`the argument "${name}" must be a string`)
  }
  return given
}

async function fill(session: Session, incoming: Incoming, ready: ReadyPrompt, given: JsonObject) {
  const { part, checkInput } = ready
  const missing = part.arguments.filter((argument) => argument.required && given[argument.name] === undefined)
  if (missing.length > 0) {
    throw rpcErrors.invalidParams(
      `${part.name} needs ${missing.map((argument) => `"${argument.name}"`).join(', ')}`,
    )
  }
  const { running } = session
  try {
    const checked = await checkInput(given)
    if (!checked.ok) {
      const reasons = checked.issues.map(({ path, reason }) => `${path.join('.') || 'arguments'}: ${reason}`)
      throw rpcErrors.invalidParams(`invalid arguments for ${part.name}: ${reasons.join('; ')}`)
    }
    const layers = layersFor(ready.layers, 'prompts/get')
    const run = () =>
      layers.length === 0
        ? part.run(checked.value, callFor(session, incoming, part.name))
        : throughLayers({
            session,
            incoming,
            part,
            layers,
            method: 'prompts/get',
            input: checked.value,
            check: checkInput,
            run: part.run,
          })
    const returned = await running.carry(`prompt \`${part.name}\``, run)
    if (isVerbatim(returned)) return promptResultFor(session.revision, returned.result as unknown as PromptResult)
    return promptResultFor(session.revision, { description: part.about, messages: messagesOf(part.name, returned) })
  } catch (error) {
    throw rpcFailure(running, `the prompt ${part.name}`, error, codes.invalidParams)
  }
}

function messagesOf(prompt: string, given: unknown): PromptMessage[] {
  const several = Array.isArray(given) ? given : [given]
  return several.map((item) => messageOf(prompt, item))
}

function messageOf(prompt: string, given: unknown): PromptMessage {
  if (typeof given === 'string') return { role: 'user', content: content.text(given) }
  if (isContent(given)) return { role: 'user', content: given }
  const { role, content: body } = (isObject(given) ? given : {}) as Partial<MessageGiven>
  if ((role === 'user' || role === 'assistant') && (typeof body === 'string' || isObject(body))) {
    return { role, content: typeof body === 'string' ? content.text(body) : body }
  }
  const wanted = 'a string, or messages as { role, content }'
  throw new RpcError(
    codes.internal,
    `the prompt ${prompt} returned ${JSON.stringify(given) ?? 'undefined'}, not ${wanted}`,
  )
}
