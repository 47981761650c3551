import { isObject, type JsonObject } from '../protocol/messages.js'
import type { ToolDefinition } from '../protocol/types.js'
import { withinDeadline } from '../transport/deadline.js'

/** A tool and its score, from 0. */
export interface Ranked {
  tool: string
  score: number
  /** Words of the question that match it. */
  words: string[]
}
export interface Choice {
  /** `none` if no tool scores high enough. */
  tool: string
  ranking: Ranked[]
  /** Lead of the first over the second, from 0 (equal) to 1 (no second). */
  margin: number
  arguments: JsonObject
}

/** Weight of a word by its location. */
const weights = { name: 2, title: 1.5, about: 1, parameter: 0.8, detail: 0.5 }
/** Tools with a lower score do not match. */
const least = 0.5
/** Weight of a value that only one parameter accepts, such as ML-04. */
const valueWeight = 0.25

/** Weights of words that occur in all tools or in none; such words lower the score of a question. */
const commonRarity = 0.15
const unknownRarity = 0.5

interface Known {
  tool: ToolDefinition
  words: ReadonlyMap<string, number>
}

/**
 * Picks tools as a stand-in for a model: by the words that a question shares with names, descriptions, parameters and
 * examples; rare words count more. It works offline and is deterministic, but understands nothing. A model may
 * distinguish tools that this picker confuses. If this picker cannot find a tool, its description lacks words that a
 * model would need as well.
 */
export class KeywordPicker {
  readonly #known: readonly Known[]
  readonly #spread = new Map<string, number>()

  constructor(tools: readonly ToolDefinition[]) {
    this.#known = tools.map((tool) => ({ tool, words: wordsOfTool(tool) }))
    for (const { words } of this.#known)
      for (const word of words.keys()) this.#spread.set(word, (this.#spread.get(word) ?? 0) + 1)
  }

  pick(question: string): Choice {
    const asked = [...new Set(stems(question))]
    const ranking = this.#known
      .map((known) => this.#rank(known, asked, question))
      .sort((one, other) => other.score - one.score || one.tool.localeCompare(other.tool))
    const [first, second] = ranking
    const isFit = first !== undefined && first.score >= least
    const found = isFit ? this.#known.find(({ tool }) => tool.name === first.tool) : undefined
    return {
      tool: isFit ? first.tool : 'none',
      ranking,
      margin: isFit ? round((first.score - (second?.score ?? 0)) / first.score) : 0,
      arguments: found ? argumentsIn(question, found.tool) : {},
    }
  }

  /** Words in a tool's own texts. */
  wordsOf(name: string): ReadonlySet<string> {
    return new Set(this.#known.find(({ tool }) => tool.name === name)?.words.keys())
  }

  #rank({ tool, words }: Known, asked: readonly string[], question: string): Ranked {
    const reasons: string[] = []
    let score = 0
    let most = 0
    for (const word of asked) {
      const rarity = this.#rarity(word)
      most += rarity
      const weight = words.get(word) ?? 0
      if (weight === 0) continue
      score += weight * rarity
      reasons.push(word)
    }
    const value = valueFor(question, tool)
    const shared = most > 0 ? score / most : 0
    return {
      tool: tool.name,
      score: round(shared + (value === undefined ? 0 : valueWeight)),
      words: value === undefined ? reasons : [...reasons, value],
    }
  }

  /** Weight of a word: rare words weigh more. */
  #rarity(word: string): number {
    const spread = this.#spread.get(word)
    return spread === undefined ? unknownRarity : commonRarity + Math.log(this.#known.length / spread)
  }
}

const round = (value: number) => Math.round(value * 1000) / 1000

function wordsOfTool({ name, title, description = '', inputSchema }: ToolDefinition): Map<string, number> {
  const words = new Map<string, number>()
  const add = (text: string, weight: number) => {
    for (const word of stems(text)) words.set(word, Math.max(weight, words.get(word) ?? 0))
  }
  add(name, weights.name)
  add(title ?? '', weights.title)
  add(description, weights.about)
  for (const [parameter, schema] of Object.entries(
    isObject(inputSchema.properties) ? inputSchema.properties : {},
  )) {
    add(parameter, weights.parameter)
    if (!isObject(schema)) continue
    add(String(schema.description ?? ''), weights.detail)
    if (Array.isArray(schema.enum)) add(schema.enum.map(String).join(' '), weights.detail)
  }
  const examples = Array.isArray(inputSchema.examples) ? inputSchema.examples : []
  for (const example of examples)
    if (isObject(example))
      add(
        Object.values(example)
          .filter((value) => typeof value === 'string')
          .join(' '),
        weights.detail,
      )
  return words
}

const small = new Set(
  'a an the of for to in on at by with and or from is are was were be been it its this that these those there i you we they he she me my your our us them do does did have has had can could will would should may might must please what which who whom whose how when where why not no yes as if than then so such some any all each every one both into about up out off over'.split(
    ' ',
  ),
)

/** Stems words roughly: `weighs`, `weighed` and `weighing` are equal. */
export function stems(text: string): string[] {
  return text
    .replace(/([a-z0-9])([A-Z])/g, '$1 $2')
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word.length > 1 && !small.has(word))
    .map(stem)
}

function stem(word: string): string {
  if (word.length < 4) return word
  const bare = word
    .replace(/(ies)$/, 'y')
    .replace(/(sses)$/, 'ss')
    .replace(/([^s])s$/, '$1')
  const cut = bare.replace(/(ing|ed|ly)$/, '')
  const root = cut.length >= 3 ? cut : bare
  return root.replace(/(.)\1$/, '$1').replace(/e$/, '')
}

/** A text of the question that matches a parameter's pattern completely. */
function valueFor(question: string, { inputSchema }: ToolDefinition): string | undefined {
  for (const schema of Object.values(isObject(inputSchema.properties) ? inputSchema.properties : {})) {
    if (!isObject(schema) || typeof schema.pattern !== 'string' || !/^\^.*\$$/.test(schema.pattern)) continue
    const found = tokensIn(question).find((token) => matches(schema.pattern as string, token))
    if (found !== undefined) return found
  }
  return undefined
}

const tokensIn = (question: string) => question.split(/[\s;:!?()"']+|[,.](?=\s|$)/).filter(Boolean)

function matches(pattern: string, text: string): boolean {
  try {
    return withinDeadline(100, () => new RegExp(pattern, 'u').test(text))
  } catch {
    return false
  }
}

/** Arguments that rules can extract from a sentence: choices, patterns, dates, and numbers in order. */
export function argumentsIn(question: string, { inputSchema }: ToolDefinition): JsonObject {
  const taken = new Set<string>()
  const found: JsonObject = {}
  const properties = Object.entries(isObject(inputSchema.properties) ? inputSchema.properties : {}).flatMap(
    ([name, schema]): [string, JsonObject][] => (isObject(schema) ? [[name, firstBranch(schema)]] : []),
  )
  const tokens = tokensIn(question)
  const take = (name: string, token: string | undefined, value: unknown = token) => {
    if (token === undefined) return
    taken.add(token)
    found[name] = value
  }
  for (const [name, { enum: choices, pattern, format, type }] of properties) {
    if (Array.isArray(choices)) {
      const choice = choices.find((item) => typeof item === 'string' && hasPhrase(question, item))
      if (choice !== undefined) found[name] = choice
    } else if (format === 'date')
      take(
        name,
        tokens.find((token) => /^\d{4}-\d\d-\d\d$/.test(token) && !taken.has(token)),
      )
    else if (typeof pattern === 'string' && type === 'string')
      take(
        name,
        tokens.find((token) => !taken.has(token) && matches(pattern, token)),
      )
  }
  for (const [name, { type, enum: choices }] of properties) {
    if ((type !== 'number' && type !== 'integer') || choices !== undefined) continue
    const number = tokens.find((token) => !taken.has(token) && /^-?\d+([.,]\d+)?$/.test(token))
    take(name, number, Number(number?.replace(',', '.')))
  }
  return found
}

/** A value that may have several forms is read in the first of them: of large numbers, the number. */
function firstBranch(schema: JsonObject): JsonObject {
  const [first] = Array.isArray(schema.anyOf) ? schema.anyOf : []
  return isObject(first) ? { ...first, ...schema } : schema
}

const hasPhrase = (text: string, phrase: string) =>
  new RegExp(
    `(^|[^\\p{L}\\p{N}])${phrase.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&').replace(/[_\s-]+/g, '[_\\s-]+')}($|[^\\p{L}\\p{N}])`,
    'iu',
  ).test(text)
