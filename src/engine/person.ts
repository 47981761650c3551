import type { PersonAnswer, PersonSent } from '../kit/call.js'
import { questionFor, questionSchema, withDefaults } from '../kit/question.js'
import type { Refusal } from '../kit/refusal.js'
import type { JsonSchema, Schema } from '../kit/schema.js'
import { checkFor } from '../kit/validation.js'
import type { Incoming } from '../protocol/incoming.js'
import { isObject } from '../protocol/messages.js'
import { codes, RpcError } from '../protocol/rpc-error.js'
import { engineErrors } from './errors.js'
import type { Session } from './session.js'

/** Time limit for the user's answer. */
export const personTimeoutMs = 600_000

/** True if the host declared that it can show a form, or send a user to a page (Elicitation). */
export function canAsk(session: Session, mode: 'form' | 'url'): boolean {
  const declared = session.clientCapabilities.elicitation
  const known = session.revision.elicitation
  if (!isObject(declared) || known === 'none') return false
  if (mode === 'url') return known === 'form and url' && declared.url !== undefined
  // An empty object means forms only.
  return known === 'form' || declared.form !== undefined || declared.url === undefined
}

export async function askPerson(
  session: Session,
  incoming: Incoming,
  label: string,
  message: string,
  schema: Schema,
): Promise<PersonAnswer<unknown>> {
  if (!canAsk(session, 'form')) throw engineErrors.peerCannot('ask the user', 'elicitation')
  const requestedSchema = questionFor(session.revision, questionSchema(schema, label), label)
  const mode = session.revision.elicitation === 'form and url' ? { mode: 'form' } : {}
  const params = { ...mode, message, requestedSchema }
  const answer = await incoming.ask('elicitation/create', params, { timeoutMs: personTimeoutMs })
  const action = actionOf(answer.action)
  if (action !== 'accept') return { action }
  return { action, content: await contentOf(session, schema, requestedSchema, answer.content) }
}

/** The content of an accepted form, checked by the author's schema, with defaults for missing fields. */
async function contentOf(
  session: Session,
  schema: Schema,
  requested: JsonSchema,
  content: unknown,
): Promise<unknown> {
  const given = withDefaults(requested, isObject(content) ? content : {})
  const checked = await checkFor(schema, requested, session.running.validator)(given)
  if (checked.ok) return checked.value
  const reasons = checked.issues.map(({ path, reason }) => `${path.join('.') || 'answer'}: ${reason}`).join('; ')
  throw engineErrors.responseUnfit('a question', reasons)
}

function actionOf(action: unknown): 'accept' | 'decline' | 'cancel' {
  if (action === 'accept' || action === 'decline' || action === 'cancel') return action
  throw engineErrors.responseUnfit('a question', `"action" is ${JSON.stringify(action)}`)
}

export async function sendPersonTo(
  session: Session,
  incoming: Incoming,
  url: string,
  message: string,
): Promise<PersonSent> {
  if (!canAsk(session, 'url')) throw engineErrors.peerCannot('send the user to a page', 'elicitation.url')
  const elicitationId = crypto.randomUUID()
  const params = { mode: 'url', elicitationId, url: new URL(url).href, message }
  const answer = await incoming.ask('elicitation/create', params, { timeoutMs: personTimeoutMs })
  return {
    action: actionOf(answer.action),
    finished: () => session.notify('notifications/elicitation/complete', { elicitationId }),
  }
}

/** The error for a call that requires pages to be visited first; undefined if the host cannot show pages. */
export function visitError(session: Session, refusal: Refusal): RpcError | undefined {
  if (!refusal.visit?.length || !canAsk(session, 'url')) return undefined
  const elicitations = refusal.visit.map(({ url, message }) => ({
    mode: 'url',
    elicitationId: crypto.randomUUID(),
    url,
    message,
  }))
  return new RpcError(codes.urlElicitationRequired, refusal.message, { elicitations })
}
