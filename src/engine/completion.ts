import type { Completer } from '../kit/call.js'
import type { Incoming } from '../protocol/dialogue.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { codes, rpcErrors } from '../protocol/rpc-error.js'
import type { CompletionResult } from '../protocol/types.js'
import { completionCallFor } from './call-context.js'
import { rpcFailure } from './failures.js'
import type { Feature } from './feature.js'
import type { Session } from './session.js'

const mostValues = 100

/** completion/complete for arguments of prompts and variables of templates (Completion). */
export const completion: Feature = {
  declare: (index) => (index.hasCompletions ? { completions: {} } : {}),
  // The first revision has the method without a capability for it.
  isOffered: (session) => session.capabilities.completions !== undefined || !session.revision.completionsCapability,
  answers: { 'completion/complete': complete },
}

async function complete(session: Session, incoming: Incoming): Promise<CompletionResult> {
  const { ref, argument, context } = incoming.params
  if (!isObject(argument) || typeof argument.name !== 'string' || typeof argument.value !== 'string') {
    throw rpcErrors.invalidParams('"argument" must have a name and a value')
  }
  const { label, completer } = completerOf(session, ref, argument.name)
  if (!completer) return { completion: { values: [], total: 0, hasMore: false } }
  const call = completionCallFor(session, incoming, label, filledOf(session, context))
  try {
    const typed = argument.value
    const values = [...(await session.running.carry(`completion of \`${label}\``, () => completer(typed, call)))]
    return {
      completion: {
        values: values.slice(0, mostValues),
        total: values.length,
        hasMore: values.length > mostValues,
      },
    }
  } catch (error) {
    throw rpcFailure(session.running, `completing ${argument.name} of ${label}`, error, codes.invalidParams)
  }
}

function completerOf(
  session: Session,
  ref: unknown,
  argument: string,
): { label: string; completer: Completer | undefined } {
  const { index } = session
  if (isObject(ref) && ref.type === 'ref/prompt' && typeof ref.name === 'string') {
    const part = index.prompts.get(ref.name)?.part
    if (!part) throw rpcErrors.invalidParams(`unknown prompt ${JSON.stringify(ref.name)}`)
    return pick(
      part.name,
      part.arguments.map((known) => known.name),
      part.complete,
      argument,
    )
  }
  if (isObject(ref) && ref.type === 'ref/resource' && typeof ref.uri === 'string') {
    const part = index.templates.get(ref.uri)?.part
    if (!part) throw rpcErrors.invalidParams(`unknown resource template ${JSON.stringify(ref.uri)}`)
    return pick(part.uriTemplate, part.parsed.variables, part.complete, argument)
  }
  throw rpcErrors.invalidParams('"ref" must be {type:"ref/prompt", name} or {type:"ref/resource", uri}')
}

function pick(
  label: string,
  known: readonly string[],
  completers: Readonly<Record<string, Completer>>,
  argument: string,
) {
  if (!known.includes(argument))
    throw rpcErrors.invalidParams(`${label} has no argument ${JSON.stringify(argument)}`)
  return { label, completer: Object.hasOwn(completers, argument) ? completers[argument] : undefined }
}

function filledOf(session: Session, context: unknown): Record<string, string> {
  if (!session.revision.completionContext || !isObject(context) || !isObject(context.arguments)) return {}
  const given: JsonObject = context.arguments
  return Object.fromEntries(
    Object.entries(given).filter((entry): entry is [string, string] => typeof entry[1] === 'string'),
  )
}
