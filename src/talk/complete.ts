import { escapeControls } from '../escape/terminal.js'
import { resolvedIn } from '../kit/schema.js'
import type { Link } from '../link/link.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { verbs } from './talk.js'

/** Candidates for completion at the cursor, and the range of text that they replace. */
export async function completeLine(link: Link, line: string): Promise<[string[], string]> {
  const words = line.split(/\s+/)
  const last = words.at(-1) ?? ''
  const candidates = await candidatesFor(link, words, last)
  // Candidates are inserted without quoting, where a space would end the word.
  const fits = (candidate: string) =>
    candidate.startsWith(last) && escapeControls(candidate) === candidate && !/[\s'"\\]/.test(candidate)
  return [[...new Set(candidates)].filter(fits), last]
}

async function candidatesFor(link: Link, words: readonly string[], last: string): Promise<string[]> {
  const [verb, subject = ''] = words
  if (words.length <= 1) return [...verbs]
  if (verb === 'call') return words.length === 2 ? toolNames(link) : argumentsOfTool(link, subject, last)
  if (verb === 'read') return words.length === 2 ? uris(link, subject) : []
  if (verb !== 'fill') return []
  const prompts = await link.prompts()
  if (words.length === 2) return prompts.map(({ name }) => name)
  const [name, typed] = pairOf(last)
  if (typed === undefined)
    return (prompts.find((prompt) => prompt.name === subject)?.arguments ?? []).map(
      (argument) => `${argument.name}=`,
    )
  const filled = Object.fromEntries(words.slice(2, -1).flatMap((word) => filledPair(word)))
  return (await valuesOf(link, { prompt: subject }, name, typed, filled)).map((value) => `${name}=${value}`)
}

const toolNames = async (link: Link) => (await link.tools()).map(({ name }) => name)

async function argumentsOfTool(link: Link, tool: string, last: string): Promise<string[]> {
  const schema: JsonObject = (await link.tools()).find(({ name }) => name === tool)?.inputSchema ?? {}
  const properties = isObject(schema.properties) ? schema.properties : {}
  const [name, typed] = pairOf(last)
  if (typed === undefined) return Object.keys(properties).map((property) => `${property}=`)
  const property = Object.hasOwn(properties, name) ? properties[name] : undefined
  return isObject(property) ? choicesIn(schema, property).map((value) => `${name}=${value}`) : []
}

/** The values that a schema lists, also in branches and items. */
function choicesIn(root: JsonObject, given: JsonObject): string[] {
  const schema = resolvedIn(root, given)
  const own = Array.isArray(schema.enum) ? schema.enum : 'const' in schema ? [schema.const] : []
  const switches = schema.type === 'boolean' ? [true, false] : []
  const inner = [schema.anyOf, schema.oneOf, [schema.items]].flatMap((list) =>
    Array.isArray(list) ? list.filter(isObject) : [],
  )
  return [...own, ...switches].map(String).concat(inner.flatMap((branch) => choicesIn(root, branch)))
}

/** Existing resources, and those that the completions of templates produce. */
async function uris(link: Link, typed: string): Promise<string[]> {
  const [resources, templates] = await Promise.all([link.resources(), link.templates()])
  const made = await Promise.all(templates.map(({ uriTemplate }) => fromTemplate(link, uriTemplate, typed)))
  return [...resources.map(({ uri }) => uri), ...made.flat()]
}

/**
 * Completes a template such as `apiary://{site}/{hive}`: first the part before the first variable, then the server's values for the variable at the cursor.
 */
async function fromTemplate(link: Link, template: string, typed: string): Promise<string[]> {
  const pieces = template.split(/(\{[^{}]*\})/)
  const filled: Record<string, string> = {}
  let before = ''
  for (const [at, piece] of pieces.entries()) {
    const name = /^\{[+]?(\w+)\}$/.exec(piece)?.[1]
    if (!piece.startsWith('{')) {
      const whole = before + piece
      if (!typed.startsWith(whole)) return whole.startsWith(typed) ? [whole] : []
      before = whole
    } else if (name === undefined) return []
    else {
      const rest = typed.slice(before.length)
      const next = pieces[at + 1]?.[0]
      const end = next === undefined ? -1 : rest.indexOf(next)
      if (end < 0)
        return (await valuesOf(link, { template }, name, rest, filled)).map(
          (value) => `${before}${encodeURIComponent(value)}`,
        )
      filled[name] = rest.slice(0, end)
      before += filled[name]
    }
  }
  return []
}

/** The server's values; empty if it offers none or fails. */
async function valuesOf(
  link: Link,
  of: { prompt: string } | { template: string },
  name: string,
  value: string,
  filled: Record<string, string>,
): Promise<string[]> {
  if (!link.capabilities.completions) return []
  return link.complete(of, { name, value }, filled).then(
    ({ values }) => values,
    () => [],
  )
}

/** `name=value` while it is typed; `value` is undefined before the equals sign. */
function pairOf(word: string): [name: string, value: string | undefined] {
  const at = word.indexOf('=')
  return at < 0 ? [word, undefined] : [word.slice(0, at), word.slice(at + 1)]
}

const filledPair = (word: string): [string, string][] => {
  const [name, value] = pairOf(word)
  return value === undefined ? [] : [[name, value]]
}
