import { messageOf } from '../errors.js'
import type { Root } from '../kit/call.js'
import { interpretingValidator } from '../kit/interpreting-validator.js'
import { withDefaults } from '../kit/question.js'
import { checkFor, type JsonSchemaValidator } from '../kit/validation.js'
import type { Incoming } from '../protocol/incoming.js'
import { isObject, type JsonObject, type RequestId } from '../protocol/messages.js'
import type { Revision } from '../protocol/revisions.js'
import { codes, RpcError, rpcErrors } from '../protocol/rpc-error.js'
import { type ModelReply, type ModelRequest, samplingFault } from '../protocol/sampling.js'
import type { ClientCapabilities } from '../protocol/types.js'
import { viewsCapability } from '../protocol/ui.js'
import { type UpstreamRecord, upstreamCapability } from '../protocol/upstream.js'
import type { TaskBoard } from '../tasks/board.js'
import { readTtl } from '../tasks/task.js'

/** A server's question to the user: a form, or a page to visit. */
export type Question = {
  message: string
  /** Aborted when the server cancels the question. */
  signal: AbortSignal
  /** Id of the server's request. */
  requestId: RequestId
} & ({ kind: 'form'; schema: JsonObject } | { kind: 'url'; url: string; elicitationId: string })
export type QuestionAnswer =
  | { action: 'accept'; content?: JsonObject }
  | { action: 'decline' }
  | { action: 'cancel' }
export type Answerer = (question: Question) => QuestionAnswer | Promise<QuestionAnswer>
/** Replies for the model; throws an `Error` if the user refuses. */
export type ModelResponder = (
  request: ModelRequest,
  signal: AbortSignal,
  /** Id of the server's request. */
  requestId: RequestId,
) => ModelReply | Promise<ModelReply>

export interface ServerRequestHandlers {
  /** Answers questions of the server; without it, the link does not declare elicitation. */
  onQuestion?: Answerer | undefined
  /** Replies for the model; without it, the link does not declare sampling. */
  onModelRequest?: ModelResponder | undefined
  /** Roots for the server; without them, the link does not declare roots. */
  roots?: readonly Root[] | undefined
  validator?: JsonSchemaValidator
  /** Called for each upstream record (request, statement, file) of servers that send them. */
  onUpstream?: ((record: UpstreamRecord) => void) | undefined
  /**
   * Passes the server's requests on to another client, and declares that client's capabilities; replaces the options
   * above.
   */
  passTo?: PassTo | undefined
  /** Declares that this client shows views: servers then list their views, and tools that only views may call. */
  views?: boolean | undefined
}

/** The client on whose behalf this client acts. */
export interface PassTo {
  readonly capabilities: ClientCapabilities
  ask(method: string, params: JsonObject, signal: AbortSignal): Promise<JsonObject>
}

const capabilityOf: Readonly<Record<string, 'roots' | 'sampling' | 'elicitation'>> = {
  'roots/list': 'roots',
  'sampling/createMessage': 'sampling',
  'elicitation/create': 'elicitation',
}

/** The capabilities that a link declares, for the revision it requests (Lifecycle, "Capability Negotiation"). */
export function clientCapabilities(revision: Revision, options: ServerRequestHandlers): ClientCapabilities {
  if (options.passTo) return options.passTo.capabilities
  const modes = revision.elicitation === 'form and url' ? { form: {}, url: {} } : {}
  return {
    ...(options.roots ? { roots: { listChanged: true } } : {}),
    ...(options.onModelRequest ? { sampling: revision.samplingTools ? { tools: {} } : {} } : {}),
    ...(options.onQuestion && revision.elicitation !== 'none' ? { elicitation: modes } : {}),
    ...tasksOf(revision, options),
    ...(options.onUpstream ? { experimental: { [upstreamCapability]: {} } } : {}),
    ...(options.views ? { extensions: viewsCapability } : {}),
  }
}

/** Questions that take long can be tasks on this side. */
function tasksOf(revision: Revision, { onModelRequest, onQuestion }: ServerRequestHandlers): ClientCapabilities {
  if (!revision.tasks || !(onModelRequest || onQuestion)) return {}
  const requests = {
    ...(onModelRequest ? { sampling: { createMessage: {} } } : {}),
    ...(onQuestion ? { elicitation: { create: {} } } : {}),
  }
  return { tasks: { list: {}, cancel: {}, requests } }
}

/** The functions of the link that replies need. */
export interface RespondingSide {
  readonly revision: Revision
  readonly options: ServerRequestHandlers
  /** Tasks for questions of the server. */
  readonly tasks: TaskBoard
  notify(method: string, params: JsonObject): void
}

/** Replies to requests of a server; refuses those whose capability was not declared. */
export function respondToServer(incoming: Incoming, side: RespondingSide): unknown {
  const { revision, options, tasks } = side
  const declared = clientCapabilities(revision, options)
  const { method, params } = incoming
  if (method === 'ping') return {}
  const { passTo } = options
  if (passTo) {
    const capability = Object.hasOwn(capabilityOf, method) ? capabilityOf[method] : undefined
    if (capability === undefined || declared[capability] === undefined) throw rpcErrors.methodNotFound(method)
    return passTo.ask(method, params, incoming.signal)
  }
  if (method === 'roots/list' && declared.roots) return { roots: options.roots }
  if (method === 'sampling/createMessage' && declared.sampling)
    return asTask(incoming, side, (request) => respondAsModel(request, options))
  if (method === 'elicitation/create' && declared.elicitation)
    return asTask(incoming, side, (request) => answerQuestion(request, revision, options))
  if (declared.tasks && method === 'tasks/get') return tasks.get(params.taskId, undefined)
  if (declared.tasks && method === 'tasks/list') return tasks.list(undefined, params.cursor)
  if (declared.tasks && method === 'tasks/cancel') return tasks.cancel(params.taskId, undefined)
  if (declared.tasks && method === 'tasks/result') return tasks.result(incoming, undefined)
  throw rpcErrors.methodNotFound(method)
}

/** Answers with a task if the server requests one. */
function asTask(
  incoming: Incoming,
  { revision, tasks, notify }: RespondingSide,
  work: (incoming: Incoming) => Promise<JsonObject>,
): unknown {
  const { task } = incoming.params
  if (!revision.tasks || task === undefined) return work(incoming)
  return { task: tasks.create({ incoming, ttlMs: readTtl(task), owner: undefined, peer: { notify }, work }) }
}

async function respondAsModel(
  { params, signal, id }: Incoming,
  { onModelRequest }: ServerRequestHandlers,
): Promise<JsonObject> {
  const fault = Array.isArray(params.messages) ? samplingFault(params.messages) : '"messages" must be an array'
  if (fault) throw rpcErrors.invalidParams(fault)
  if (!Number.isInteger(params.maxTokens)) throw rpcErrors.invalidParams('"maxTokens" must be an integer')
  if (!onModelRequest) throw rpcErrors.methodNotFound('sampling/createMessage')
  try {
    return { ...(await onModelRequest(params as unknown as ModelRequest, signal, id)) }
  } catch (error) {
    if (error instanceof RpcError) throw error
    throw new RpcError(codes.userRejected, messageOf(error))
  }
}

async function answerQuestion(
  incoming: Incoming,
  revision: Revision,
  options: ServerRequestHandlers,
): Promise<JsonObject> {
  const question = questionOf(incoming, revision)
  const answer = (await options.onQuestion?.(question)) ?? { action: 'cancel' }
  if (answer.action !== 'accept') return { action: answer.action }
  if (question.kind === 'url') return { action: 'accept' }
  const content = withDefaults(question.schema, answer.content ?? {})
  const check = checkFor(undefined, question.schema, options.validator ?? interpretingValidator)
  const checked = await check(content)
  if (checked.ok) return { action: 'accept', content }
  const reasons = checked.issues.map(({ path, reason }) => `${path.join('.') || 'answer'}: ${reason}`).join('; ')
  throw new RpcError(codes.internal, `The answer does not match the schema of the question: ${reasons}`)
}

function questionOf({ params, signal, id: requestId }: Incoming, revision: Revision): Question {
  const { mode = 'form', message, requestedSchema, url, elicitationId } = params
  if (typeof message !== 'string') throw rpcErrors.invalidParams('"message" must be a string')
  if (mode === 'form') {
    if (!isObject(requestedSchema)) throw rpcErrors.invalidParams('"requestedSchema" must be an object')
    return { kind: 'form', message, schema: requestedSchema, signal, requestId }
  }
  if (mode === 'url' && revision.elicitation === 'form and url') {
    if (typeof url !== 'string' || !/^https?:\/\//i.test(url) || !URL.canParse(url))
      throw rpcErrors.invalidParams('"url" must be an http or https URL')
    if (typeof elicitationId !== 'string') throw rpcErrors.invalidParams('"elicitationId" must be a string')
    return { kind: 'url', message, url, elicitationId, signal, requestId }
  }
  throw rpcErrors.invalidParams(`the mode ${JSON.stringify(mode)} was not declared`)
}
