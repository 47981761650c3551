import type { Completer } from '../kit/call.js'
import type { Check } from '../kit/validation.js'
import { isVerbatim } from '../kit/verbatim.js'
import type { Incoming } from '../protocol/incoming.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { codes, rpcErrors } from '../protocol/rpc-error.js'
import type { CompletionResult } from '../protocol/types.js'
import { completionCallFor } from './call-context.js'
import { rpcFailure } from './failures.js'
import type { Feature } from './feature.js'
import { layersFor, throughLayers } from './layered.js'
import type { ReadyPrompt, ReadyTemplate } from './part-index.js'
import type { Session } from './session.js'

const mostValues = 100
const textOnly: Check = (value) =>
  typeof value === 'string'
    ? { ok: true, value }
    : { ok: false, issues: [{ path: [], reason: 'expected a string' }] }

/** completion/complete for arguments of prompts and variables of templates (Completion). */
export const completion: Feature = {
  declare: (index) => (index.hasCompletions ? { completions: {} } : {}),
  // The first revision has the method, but no capability for it.
  isOffered: (session) => session.capabilities.completions !== undefined || !session.revision.completionsCapability,
  requests: { 'completion/complete': complete },
}

async function complete(session: Session, incoming: Incoming): Promise<CompletionResult> {
  const { ref, argument, context } = incoming.params
  if (!isObject(argument) || typeof argument.name !== 'string' || typeof argument.value !== 'string') {
    throw rpcErrors.invalidParams('"argument" must have a name and a value')
  }
  const { ready, label, completer } = completerOf(session, ref, argument.name)
  if (!completer) return { completion: { values: [], total: 0, hasMore: false } }
  const filled = filledOf(session, context)
  const layers = layersFor(ready.layers, 'completion/complete')
  const typed = argument.value
  const run = (): unknown =>
    layers.length === 0
      ? completer(typed, completionCallFor(session, incoming, label, filled))
      : throughLayers({
          session,
          incoming,
          part: ready.part,
          layers,
          method: 'completion/complete',
          input: typed,
          filled,
          check: textOnly,
          run: (text, call) => completer(String(text), call),
        })
  try {
    const found = await session.running.carry(`completion of \`${label}\``, run)
    if (isVerbatim(found)) return found.result as unknown as CompletionResult
    const values = [...(found as readonly string[])]
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
): { ready: ReadyPrompt | ReadyTemplate; label: string; completer: Completer | undefined } {
  const { index } = session
  if (isObject(ref) && ref.type === 'ref/prompt' && typeof ref.name === 'string') {
    const ready = index.prompts.get(ref.name)
    if (!ready) throw rpcErrors.invalidParams(`unknown prompt ${JSON.stringify(ref.name)}`)
    const { part } = ready
    return pick(
      ready,
      part.name,
      part.arguments.map((known) => known.name),
      part.complete,
      argument,
    )
  }
  if (isObject(ref) && ref.type === 'ref/resource' && typeof ref.uri === 'string') {
    const ready = index.templates.get(ref.uri)
    if (!ready) throw rpcErrors.invalidParams(`unknown resource template ${JSON.stringify(ref.uri)}`)
    const { part } = ready
    return pick(ready, part.uriTemplate, part.parsed.variables, part.complete, argument)
  }
  throw rpcErrors.invalidParams('"ref" must be {type:"ref/prompt", name} or {type:"ref/resource", uri}')
}

function pick(
  ready: ReadyPrompt | ReadyTemplate,
  label: string,
  known: readonly string[],
  completers: Readonly<Record<string, Completer>>,
  argument: string,
) {
  if (!known.includes(argument))
    throw rpcErrors.invalidParams(`${label} has no argument ${JSON.stringify(argument)}`)
  return { ready, label, completer: Object.hasOwn(completers, argument) ? completers[argument] : undefined }
}

function filledOf(session: Session, context: unknown): Record<string, string> {
  if (!session.revision.completionContext || !isObject(context) || !isObject(context.arguments)) return {}
  const given: JsonObject = context.arguments
  return Object.fromEntries(
    Object.entries(given).filter((entry): entry is [string, string] => typeof entry[1] === 'string'),
  )
}
