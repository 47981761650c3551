import type { ModelQuestion } from '../kit/call.js'
import { contentFor } from '../protocol/downgrade.js'
import type { Incoming } from '../protocol/incoming.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { type ModelReply, type SamplingBlock, type SamplingMessage, samplingFault } from '../protocol/sampling.js'
import type { ContentBlock } from '../protocol/types.js'
import { engineErrors } from './errors.js'
import { personTimeoutMs } from './person.js'
import type { Session } from './session.js'

/** sampling/createMessage: sends a request to the host's model, within the host's declared capabilities (Sampling). */
export async function askModel(session: Session, incoming: Incoming, question: ModelQuestion): Promise<ModelReply> {
  const declared = session.clientCapabilities.sampling
  if (!isObject(declared)) throw engineErrors.peerCannot('ask a model', 'sampling')
  const takesTools = session.revision.samplingTools && declared.tools !== undefined
  if ((question.tools || question.toolChoice) && !takesTools)
    throw engineErrors.peerCannot('offer tools to a model', 'sampling.tools')
  const wantsContext = question.includeContext !== undefined && question.includeContext !== 'none'
  if (wantsContext && session.revision.samplingTools && declared.context === undefined) {
    throw engineErrors.peerCannot('include context of servers', 'sampling.context')
  }
  const messages = question.messages.map((message) => messageFor(session, message))
  const fault = samplingFault(messages)
  if (fault) throw engineErrors.modelRequest(fault)
  if (!takesTools && messages.some(({ content }) => Array.isArray(content))) {
    throw engineErrors.peerCannot('take several blocks in a message', 'sampling.tools')
  }
  const result = await incoming.ask('sampling/createMessage', { ...question, messages } as unknown as JsonObject, {
    timeoutMs: personTimeoutMs,
  })
  if (!isObject(result.content) && !Array.isArray(result.content)) {
    throw engineErrors.responseUnfit('sampling/createMessage', '"content" is missing')
  }
  return result as unknown as ModelReply
}

function messageFor(session: Session, { role, content }: ModelQuestion['messages'][number]): SamplingMessage {
  if (typeof content === 'string') return { role, content: { type: 'text', text: content } }
  const downgraded = (block: SamplingBlock) =>
    block.type === 'audio' ? (contentFor(session.revision, block as ContentBlock) as SamplingBlock) : block
  return { role, content: Array.isArray(content) ? content.map(downgraded) : downgraded(content) }
}
