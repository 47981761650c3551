import type { ToolPart } from '../kit/part.js'
import type { Incoming } from '../protocol/incoming.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { askPerson, canAsk } from './person.js'
import type { Session } from './session.js'

const cannotAsk = 'this host cannot ask the user'

/** Asks for missing required arguments that the tool allows to be asked for; returns the arguments with the answers. */
export async function askForMissing(
  session: Session,
  incoming: Incoming,
  part: ToolPart,
  given: JsonObject,
): Promise<JsonObject | string> {
  const properties = isObject(part.inputSchema.properties) ? part.inputSchema.properties : {}
  const missing = part.askFor.filter((name) => given[name] === undefined && properties[name] !== undefined)
  if (missing.length === 0) return given
  if (!canAsk(session, 'form'))
    return `${part.name} needs ${missing.join(', ')}, and ${cannotAsk}: give them with the call.`
  const schema = {
    type: 'object',
    properties: Object.fromEntries(missing.map((name) => [name, properties[name]])),
    required: missing,
  }
  const answer = await askPerson(
    session,
    incoming,
    part.name,
    `${part.title ?? part.name} needs to know more.`,
    schema,
  )
  if (answer.action !== 'accept')
    return `The person was asked for ${missing.join(', ')} and ${saidNo[answer.action]}. Nothing was done.`
  return { ...given, ...(answer.content as JsonObject) }
}

const saidNo = { decline: 'declined', cancel: 'closed the question without an answer' } as const

/** Asks the user before a tool runs, if the tool requires it; returns the reason why it must not run, or undefined. */
export async function confirmed(
  session: Session,
  incoming: Incoming,
  part: ToolPart,
  input: unknown,
): Promise<string | undefined> {
  if (!part.confirm) return undefined
  if (!canAsk(session, 'form')) {
    return part.confirm.ifPossible
      ? undefined
      : `${part.name} runs only after a person has agreed, and ${cannotAsk}. Nothing was done.`
  }
  const message = part.confirm.say(input)
  const answer = await askPerson(session, incoming, part.name, message, { type: 'object', properties: {} })
  return answer.action === 'accept'
    ? undefined
    : `The person was asked and ${saidNo[answer.action]}. Nothing was done.`
}
