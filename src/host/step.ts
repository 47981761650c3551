import type { Question, QuestionAnswer } from '../link/server-requests.js'
import type { JsonObject } from '../protocol/messages.js'
import type { ModelReply, ModelRequest } from '../protocol/sampling.js'
import type { ToolResult } from '../protocol/types.js'
import type { Task } from '../tasks/task.js'

/** An attachment of the user's message: a resource, or the messages of a prompt. */
export interface Attachment {
  label: string
  text: string
}

/** One step of a conversation. A step changes until it is over. */
export type Step =
  /** `page` is the tool whose view wrote the message, if the user only sent it. */
  | { kind: 'person'; id: number; text: string; attached: readonly Attachment[]; page?: string }
  | { kind: 'model'; id: number; text: string }
  /** An error or a notice for the user. */
  | { kind: 'note'; id: number; text: string; isFault: boolean }
  | CallStep
  | QuestionStep
  | SamplingStep
  | PageCallStep
  | PageMessageStep
  | PageContextStep

export interface CallStep {
  kind: 'call'
  id: number
  /** Id that the model gave to its call. */
  call: string
  server: string
  /** Name of the function as the model sees it. */
  function: string
  tool: string
  arguments: JsonObject
  reason: string | undefined
  /** `refused` by the user; `cancelled` while it ran; `lost` if no response arrived. */
  state: 'proposed' | 'running' | 'done' | 'refused' | 'cancelled' | 'lost'
  approved: 'once' | 'conversation' | undefined
  /** Present if the call runs as a task, which the server continues without this conversation. */
  task?: { id: string; status: Task['status']; message?: string | undefined }
  progress?: { done: number; total?: number | undefined; message?: string | undefined }
  logs: { level: string; text: string }[]
  /** URI of the view that shows the call. */
  view?: string
  result?: ToolResult
  /** The text of the response for the model. */
  text?: string
  isError?: boolean
  tookMs?: number
}

export interface QuestionStep {
  kind: 'question'
  id: number
  server: string
  question:
    | Omit<Question & { kind: 'form' }, 'signal' | 'requestId'>
    | Omit<Question & { kind: 'url' }, 'signal' | 'requestId'>
  state: 'open' | 'answered' | 'withdrawn'
  answer?: QuestionAnswer
}

export interface SamplingStep {
  kind: 'sampling'
  id: number
  server: string
  request: ModelRequest
  state: 'open' | 'running' | 'answered' | 'refused' | 'withdrawn'
  answer?: ModelReply
}

/** Fields of all steps of a view: the call that it belongs to, and its server. */
interface PageStep {
  id: number
  /** Id of the call. */
  of: number
  server: string
  tool: string
}
/** A call that the user made in a view. The model does not see it. */
export interface PageCallStep extends PageStep {
  kind: 'page-call'
  arguments: JsonObject
  state: 'running' | 'done' | 'failed'
  text?: string
  isError?: boolean
}
/** A message that a view wants to add to the conversation; the user sends or refuses it. */
export interface PageMessageStep extends PageStep {
  kind: 'page-message'
  text: string
  state: 'open' | 'sent' | 'refused'
}
/** Context of a view for the model's next turn. */
export interface PageContextStep extends PageStep {
  kind: 'page-context'
  text: string
}

/** The possible decisions on a proposed call. */
export type Decision = 'once' | 'conversation' | 'refuse'
