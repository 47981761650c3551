import { stringify } from 'yaml'
import type { ReadyAnswer } from '../link/answerers.js'
import { isObject, type JsonObject } from '../protocol/messages.js'

/** A call that was made, and its result. */
export interface RecordedCall {
  /** The target of the recording, so that the case can run without arguments. */
  target: string
  method: 'tools/call' | 'resources/read' | 'prompts/get'
  params: JsonObject
  outcome: { result: JsonObject } | { error: { code: number | string; message: string } }
  /** Replies to the server's requests during the call, in order. */
  answers: readonly ReadyAnswer[]
}

/**
 * A recorded call as the text of a case file (`schemas/case.schema.json`): short YAML that is easy to edit. The
 * expectation is the recorded result: structured content if present, otherwise text.
 */
export const caseText = (call: RecordedCall): string => sequenceText(call.target, [call])

/**
 * Recorded calls as the text of one case file, with a step for each. Without a target, `replay --target` must name one.
 */
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

/** A name for a case file, without its suffix: `weigh_hive`. */
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

/** The text of a failure without the id of its log entry, which differs for each call. */
export const withoutErrorIds = (text: string): string => text.replace(/\berror [\da-f]{8}\b/g, 'error …')

/** The text of all blocks; other blocks are described, in the same way for recorded and replayed results. */
export function textOf(blocks: unknown): string {
  const list = Array.isArray(blocks) ? blocks.filter(isObject) : []
  return list
    .map((block) => (typeof block.text === 'string' ? block.text : `(${block.type ?? block.mimeType ?? 'bytes'})`))
    .join('\n')
}
