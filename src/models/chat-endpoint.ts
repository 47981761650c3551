import { simplifySchema } from '../kit/simplify.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { textOf } from '../transport/http-responses.js'
import { modelsErrors } from './errors.js'

export interface ChatModelOptions {
  /** Name of the model, where the endpoint has several. */
  model?: string | undefined
  /** Sent as a bearer token. */
  key?: string | undefined
  timeoutMs?: number
}

/** The description of a function for a chat endpoint, with its schema simplified to the supported keywords. */
export const functionOf = (name: string, description: string, schema: JsonObject): JsonObject => ({
  type: 'function',
  function: { name, description, parameters: simplifySchema(schema).schema },
})

export interface ChatCall {
  id: string
  name: string
  arguments: JsonObject
}
export interface ChatMessage {
  text: string | undefined
  calls: ChatCall[]
}

/**
 * Sends a request to a chat endpoint with function calling: `POST <url>`. Rejects with a `JexoError` if the response is
 * not in the expected format.
 */
export async function askEndpoint(
  url: string,
  body: JsonObject,
  { model, key, timeoutMs = 60_000 }: ChatModelOptions,
  signal?: AbortSignal,
): Promise<ChatMessage> {
  const late = AbortSignal.timeout(timeoutMs)
  const response = await fetch(url, {
    method: 'POST',
    // The key is only sent to this address.
    redirect: 'error',
    headers: { 'content-type': 'application/json', ...(key ? { authorization: `Bearer ${key}` } : {}) },
    body: JSON.stringify({ ...(model === undefined ? {} : { model }), temperature: 0, ...body }),
    signal: signal ? AbortSignal.any([signal, late]) : late,
  }).catch((error: Error) => {
    throw modelsErrors.modelUnusable(url, error.cause instanceof Error ? error.cause.message : error.message)
  })
  const text = await textOf(response, 16_000_000)
  if (!response.ok) throw modelsErrors.modelUnusable(url, `${response.status} ${text.slice(0, 200)}`)
  return readMessage(url, text)
}

function readMessage(url: string, text: string): ChatMessage {
  let response: unknown
  try {
    response = JSON.parse(text)
  } catch {
    throw modelsErrors.modelUnusable(url, 'its response is not JSON')
  }
  const choices = isObject(response) && Array.isArray(response.choices) ? response.choices : []
  const message = isObject(choices[0]) ? choices[0].message : undefined
  if (!isObject(message)) throw modelsErrors.modelUnusable(url, 'its response has no choices with a message')
  const calls = (Array.isArray(message.tool_calls) ? message.tool_calls : []).flatMap((call, at) => {
    const called = isObject(call) && isObject(call.function) ? call.function : undefined
    if (!isObject(call) || !called || typeof called.name !== 'string') return []
    const id = typeof call.id === 'string' ? call.id : `call_${at + 1}`
    return [{ id, name: called.name, arguments: argumentsOf(called.arguments) }]
  })
  return { text: typeof message.content === 'string' ? message.content : undefined, calls }
}

/** Models write arguments as text, which is not always valid JSON. */
function argumentsOf(value: unknown): JsonObject {
  try {
    const parsed: unknown = typeof value === 'string' ? JSON.parse(value) : value
    return isObject(parsed) ? parsed : {}
  } catch {
    return {}
  }
}
