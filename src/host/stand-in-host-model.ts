import { argumentsIn, KeywordPicker, stems } from '../models/keyword-picker.js'
import { standInModel } from '../models/stand-in-model.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import type { HostFunction } from './functions.js'
import type { HostMessage, HostModel, ModelTurn } from './model.js'

/** A notice that this is not a real model. */
export const standInLimits =
  'This is a stand-in for a model. It picks the tool whose name and description share the most words with your message, and fills in arguments by rules. It understands nothing, makes one call for each message, and repeats the result. It cannot predict which tool a real model would pick.'

/**
 * A deterministic offline model that ships with Jexo. It proposes at most one call for each message, repeats the previous call if a message only contains another value, and returns the tool's response.
 */
export function standInHostModel(): HostModel {
  let counter = 0
  return {
    name: 'stand-in',
    complete: async (request) => standInModel(request),
    async turn(messages, functions) {
      const last = messages.at(-1)
      if (last?.role === 'tool') return { text: reportOf(last), calls: [] }
      if (last?.role !== 'person') return { text: '', calls: [] }
      return proposalFor(last, messages, functions, `call_${++counter}`)
    },
  }
}

function proposalFor(
  said: Extract<HostMessage, { role: 'person' }>,
  messages: readonly HostMessage[],
  functions: readonly HostFunction[],
  id: string,
): ModelTurn {
  const again = followUp(said.text, messages, functions, id)
  if (again) return again
  // The model knows tools by their function names, so these are ranked.
  const tools = functions.map(({ name, tool }) => ({ ...tool, name }))
  const { tool, arguments: given, ranking } = new KeywordPicker(tools).pick(said.text)
  const chosen = functions.find(({ name }) => name === tool)
  if (!chosen) return nothingFits(said, ranking)
  const reason = asSaid(ranking[0]?.words ?? [], said.text).join(', ')
  return {
    text: missingText(chosen, given),
    calls: [
      { id, name: chosen.name, arguments: given, ...(reason ? { reason: `words in common: ${reason}` } : {}) },
    ],
  }
}

/** Words of the sentence, without their endings. */
function asSaid(reason: readonly string[], text: string): string[] {
  const words = text.match(/[\p{L}\p{N}-]+/gu) ?? []
  return [
    ...new Set(reason.map((stem) => words.find((word) => word === stem || stems(word).includes(stem)) ?? stem)),
  ]
}

/** "And ML-07?": the previous call with the new value. */
function followUp(
  text: string,
  messages: readonly HostMessage[],
  functions: readonly HostFunction[],
  id: string,
): ModelTurn | undefined {
  const before = messages.flatMap((message) => (message.role === 'model' ? message.calls : [])).at(-1)
  const again = functions.find(({ name }) => name === before?.name)
  if (!before || !again) return undefined
  const brought = argumentsIn(text, again.tool)
  const values = new Set(stems(Object.values(brought).join(' ')))
  // A sentence with other words besides the value is a new request.
  const isOnlyValues = values.size > 0 && stems(text).every((word) => values.has(word))
  if (!isOnlyValues) return undefined
  return {
    text: '',
    calls: [
      {
        id,
        name: again.name,
        arguments: { ...before.arguments, ...brought },
        reason: 'as before, with another value',
      },
    ],
  }
}

function nothingFits(
  said: { attached: readonly { label: string }[] },
  ranking: readonly { tool: string }[],
): ModelTurn {
  const near = ranking.slice(0, 3).map(({ tool }) => tool)
  const attached = said.attached.map(({ label }) => label).join(', ')
  const about = attached === '' ? '' : ` I see what you attached (${attached}), but I only pick tools.`
  const closest = near.length === 0 ? ' There are no tools to pick from.' : ` The nearest are ${near.join(', ')}.`
  return { text: `No tool here shares enough words with that.${closest}${about}`, calls: [] }
}

function missingText({ tool }: HostFunction, given: JsonObject): string {
  const required = Array.isArray(tool.inputSchema.required) ? tool.inputSchema.required.map(String) : []
  const missing = required.filter((name) => !(name in given))
  if (missing.length === 0) return ''
  return `I found no ${missing.join(', ')} in your sentence. Add it to the arguments, or approve as it is: the server may ask for what is missing.`
}

function reportOf({ text, isError, name }: Extract<HostMessage, { role: 'tool' }>): string {
  if (isError) return `${name} did not do it: ${brief(text)}`
  return `${name} returned: ${brief(spoken(text))}`
}

/** Fields of a small object as a sentence; other values unchanged. */
function spoken(text: string): string {
  try {
    const value: unknown = JSON.parse(text)
    if (!isObject(value)) return text
    const fields = Object.entries(value)
    if (fields.length > 6 || fields.some(([, field]) => typeof field === 'object' && field !== null)) return text
    return fields.map(([name, field]) => `${name} ${field}`).join(', ')
  } catch {
    return text
  }
}

const mostCharacters = 600
const brief = (text: string) =>
  text.length > mostCharacters
    ? `${text.slice(0, mostCharacters)}… (${text.length} characters; open the result for all of it)`
    : text
