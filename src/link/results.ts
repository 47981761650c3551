import { protocolErrors } from '../protocol/errors.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import type { Revision } from '../protocol/revisions.js'
import type { CompletionResult } from '../protocol/types.js'

/** The result of a request if one of its fields is an array. Throws a `JexoError` otherwise. */
export function withArray<Result>(method: string, result: JsonObject, field: string): Result {
  if (!Array.isArray(result[field])) throw protocolErrors.responseMalformed(method, `"${field}" is not an array`)
  return result as unknown as Result
}

/** What a completion is asked for: an argument of a prompt, or a variable of a template. */
export type CompletedPart = { prompt: string } | { template: string }

/** Parameters of `completion/complete`; arguments that are filled already are sent if the revision knows them. */
export function completionParams(
  of: CompletedPart,
  argument: { name: string; value: string },
  filled: Record<string, string>,
  revision: Revision,
): JsonObject {
  const ref = 'prompt' in of ? { type: 'ref/prompt', name: of.prompt } : { type: 'ref/resource', uri: of.template }
  const hasContext = revision.completionContext && Object.keys(filled).length > 0
  return { ref, argument, ...(hasContext ? { context: { arguments: filled } } : {}) }
}

/** The completion in a result. Throws a `JexoError` if there is none. */
export function completionIn({ completion }: JsonObject): CompletionResult['completion'] {
  if (isObject(completion) && Array.isArray(completion.values)) return completion as CompletionResult['completion']
  throw protocolErrors.responseMalformed('completion/complete', '"completion.values" is not an array')
}
