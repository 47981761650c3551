import { problems } from '../errors.js'
import { simplified } from '../kit/simplify.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import type { ToolDefinition } from '../protocol/types.js'
import type { Choice } from './stand-in.js'

export interface ChatModelOptions {
  /** Name of the model, where the endpoint has several. */
  model?: string | undefined
  /** Sent as a bearer token. */
  key?: string | undefined
  timeoutMs?: number
}

/**
 * Asks a chat endpoint with function calling which tool it would call: `POST <url>` with `messages` and `tools`, as such endpoints have it. Schemas
 * are simplified to what they take. Rejects with a `JexoError` where it does not answer so.
 */
export async function pickByModel(
  url: string,
  tools: readonly ToolDefinition[],
  question: string,
  { model, key, timeoutMs = 60_000 }: ChatModelOptions = {},
): Promise<Choice> {
  const body = {
    ...(model === undefined ? {} : { model }),
    temperature: 0,
    messages: [{ role: 'user', content: question }],
    tools: tools.map(({ name, description = '', inputSchema }) => ({
      type: 'function',
      function: { name, description, parameters: simplified(inputSchema).schema },
    })),
  }
  const answer = await ask(url, body, key, timeoutMs)
  const call = firstCall(answer)
  if (answer === undefined || call === 'odd')
    throw problems.modelUnusable(url, 'its answer has no choices with a message')
  return { tool: call?.name ?? 'none', ranking: [], margin: 0, arguments: call?.arguments ?? {} }
}

async function ask(url: string, body: object, key: string | undefined, timeoutMs: number): Promise<unknown> {
  const response = await fetch(url, {
    method: 'POST',
    headers: { 'content-type': 'application/json', ...(key ? { authorization: `Bearer ${key}` } : {}) },
    body: JSON.stringify(body),
    signal: AbortSignal.timeout(timeoutMs),
  }).catch((error: Error) => {
    throw problems.modelUnusable(url, error.cause instanceof Error ? error.cause.message : error.message)
  })
  const text = await response.text()
  if (!response.ok) throw problems.modelUnusable(url, `${response.status} ${text.slice(0, 200)}`)
  try {
    return JSON.parse(text)
  } catch {
    throw problems.modelUnusable(url, 'its answer is no JSON')
  }
}

function firstCall(answer: unknown): { name: string; arguments: JsonObject } | undefined | 'odd' {
  const choices = isObject(answer) && Array.isArray(answer.choices) ? answer.choices : []
  const message = isObject(choices[0]) ? choices[0].message : undefined
  if (!isObject(message)) return 'odd'
  const [call] = Array.isArray(message.tool_calls) ? message.tool_calls : []
  const called = isObject(call) && isObject(call.function) ? call.function : undefined
  if (!called || typeof called.name !== 'string') return undefined
  return { name: called.name, arguments: argumentsOf(called.arguments) }
}

/** Models write arguments as a text, and not always JSON. */
function argumentsOf(value: unknown): JsonObject {
  try {
    const parsed: unknown = typeof value === 'string' ? JSON.parse(value) : value
    return isObject(parsed) ? parsed : {}
  } catch {
    return {}
  }
}
