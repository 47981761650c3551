import { stringify } from 'yaml'
import type { ReadyAnswer } from '../link/answerers.js'
import { isObject, type JsonObject } from '../protocol/messages.js'

/** A call that was made, and what came of it. */
export interface RecordedCall {
  /** What the target was called when it was recorded, so that the case can be run by itself. */
  target: string
  method: 'tools/call' | 'resources/read' | 'prompts/get'
  params: JsonObject
  outcome: { result: JsonObject } | { error: { code: number | string; message: string } }
  /** What was answered to the server's questions meanwhile, in their order. */
  answers: readonly ReadyAnswer[]
}

/**
 * A recorded call as the text of a case file (`schemas/case.schema.json`): YAML, short, made to be edited by hand. What is
 * expected is what came, in its most telling form: structured content, else text.
 */
export const caseText = (call: RecordedCall): string => sequenceText(call.target, [call])

/** Recorded calls as the text of one case file, a step each. Without a target, `replay --target` has to name one. */
export const sequenceText = (target: string | undefined, calls: readonly RecordedCall[]): string =>
  stringify(
    { version: 1, ...(target === undefined ? {} : { target }), steps: calls.map(stepOf) },
    { lineWidth: 100 },
  )

function stepOf({ method, params, outcome, answers }: RecordedCall): JsonObject {
  const { arguments: given } = params
  return {
    ...(method === 'resources/read' ? { read: params.uri } : {}),
    ...(method === 'prompts/get' ? { fill: params.name } : {}),
    ...(method === 'tools/call' ? { call: params.name } : {}),
    ...(isObject(given) && Object.keys(given).length > 0 ? { with: given } : {}),
    ...(answers.length > 0 ? { answers } : {}),
    expect: expectationOf(outcome),
  }
}

/** A name for the file of a case, without its suffix: `weigh_hive`. */
export function caseStem({ method, params }: Pick<RecordedCall, 'method' | 'params'>): string {
  const subject = String((method === 'resources/read' ? params.uri : params.name) ?? 'call')
  return (
    subject
      .replace(/[^A-Za-z0-9_.-]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 60) || 'call'
  )
}

function expectationOf(outcome: RecordedCall['outcome']): JsonObject {
  if ('error' in outcome) return { error: { code: outcome.error.code, message: outcome.error.message } }
  const { isError, structuredContent, content, contents, messages } = outcome.result
  if (isError === true) return { failure: withoutErrorIds(textOf(content)) }
  if (isObject(structuredContent)) return { structured: structuredContent }
  if (Array.isArray(contents)) return { text: textOf(contents) }
  if (Array.isArray(messages))
    return { text: textOf(messages.map((message) => isObject(message) && message.content)) }
  return { text: textOf(content) }
}

/** A failure as it is each time: the id under which its reason stands in a log is another one at each call. */
export const withoutErrorIds = (text: string): string => text.replace(/\berror [\da-f]{8}\b/g, 'error …')

/** The text of all blocks, and of others what they are: recorded and replayed alike. */
export function textOf(blocks: unknown): string {
  const list = Array.isArray(blocks) ? blocks.filter(isObject) : []
  return list
    .map((block) => (typeof block.text === 'string' ? block.text : `(${block.type ?? block.mimeType ?? 'bytes'})`))
    .join('\n')
}
