import MiniSearch from 'minisearch'
import type { Call } from '../../kit/call.js'
import { closestTo, suggestion } from '../../kit/closest.js'
import { compilingValidator } from '../../kit/compiling-validator.js'
import type { Effect } from '../../kit/effects.js'
import type { Example, ToolPart } from '../../kit/part.js'
import { Refusal } from '../../kit/refusal.js'
import type { JsonSchema } from '../../kit/schema.js'
import type { Setting } from '../../kit/settings.js'
import { tool } from '../../kit/tool.js'
import { explainIssues } from '../../kit/validation.js'
import type { JsonObject } from '../../protocol/messages.js'
import { exampleOf } from '../schema/example.js'

/** An entry that a catalogue can find, describe and call. */
export interface CatalogueEntry {
  readonly name: string
  readonly title?: string | undefined
  readonly about: string
  readonly effect: Effect
  readonly tags: readonly string[]
  /** Its location in the source: `GET /hives/{code}`. */
  readonly place?: string
  readonly examples: readonly Example[]
  input(): JsonSchema
  output(): JsonSchema | undefined
  /** What the status codes of its response mean. */
  readonly statuses?: unknown
  run(args: JsonObject, call: Call): unknown
}

export interface CatalogueOptions {
  /** The source of the entries, such as the title of an API. */
  readonly title: string
  /** The kind of an entry, which is part of the tool names. */
  readonly noun: 'operation' | 'function' | 'tool'
  /** Prefix of the tool names. */
  readonly prefix?: string | undefined
  readonly settings?: Readonly<Record<string, Setting>> | undefined
}

const weights = { name: 4, title: 3, place: 2, tags: 2, about: 1, arguments: 1 }
const rank: readonly Effect[] = ['read', 'add', 'change', 'remove']

/** Three tools instead of one for each operation: search for an operation, describe it, and call it. */
export function catalogueParts(
  entries: readonly CatalogueEntry[],
  { title, noun, prefix = '', settings = {} }: CatalogueOptions,
): ToolPart[] {
  const byName = new Map(entries.map((entry) => [entry.name, entry]))
  const worst = entries.reduce<Effect>(
    (most, { effect }) => (rank.indexOf(effect) > rank.indexOf(most) ? effect : most),
    'read',
  )
  const plural = `${noun}s`
  const article = noun === 'operation' ? 'an' : 'a'
  const named = {
    type: 'string',
    description: `Name of ${article} ${noun}, as returned by ${prefix}find_${noun}`,
  } as const
  const found = (name: string): CatalogueEntry => {
    const known = byName.get(name)
    if (known) return known
    const closest = closestTo(name, [...byName.keys()])
    throw new Refusal(
      `There is no ${noun} ${JSON.stringify(name)}${suggestion(closest) || '.'} Search with ${prefix}find_${noun}.`,
    )
  }
  let index: MiniSearch | undefined
  return [
    tool(`${prefix}find_${noun}`, {
      about: `Searches the ${entries.length} ${plural} of ${title} by words. Then use ${prefix}explain_${noun} for the arguments of one, and ${prefix}carry_out_${noun} to call it.`,
      effect: 'read',
      settings,
      input: {
        type: 'object',
        properties: {
          words: {
            type: 'string',
            minLength: 1,
            maxLength: 500,
            description: 'What you want to do, in a few words',
          },
          most: { type: 'integer', minimum: 1, maximum: 50, default: 10, description: 'Maximum number of results' },
        },
        required: ['words'],
        additionalProperties: false,
      } as const,
      run({ words, most = 10 }) {
        index ??= indexOf(entries)
        const hits = index
          .search(words, { boost: weights, prefix: true, fuzzy: 0.2, combineWith: 'OR' })
          .slice(0, most)
        return {
          [plural]: hits.map(({ id }) => brief(entries[id as number] as CatalogueEntry, noun)),
          ...(hits.length === 0 ? { note: `No ${noun} contains these words; try fewer or different words.` } : {}),
        }
      },
    }),
    tool(`${prefix}explain_${noun}`, {
      about: `Explains ${article} ${noun} of ${title}: what it does, its arguments, its result, and an example.`,
      effect: 'read',
      settings,
      input: {
        type: 'object',
        properties: { [noun]: named },
        required: [noun],
        additionalProperties: false,
      },
      run: ((given: JsonObject) => {
        const one = found(String(given[noun]))
        const input = one.input()
        const output = one.output()
        return {
          ...brief(one, noun),
          about: one.about,
          arguments: input,
          ...(output ? { response: output } : {}),
          ...(one.statuses ? { responses: one.statuses } : {}),
          example: { [noun]: one.name, arguments: one.examples[0]?.input ?? exampleOf(input) },
        }
      }) as () => never,
    }),
    tool(`${prefix}carry_out_${noun}`, {
      about: `Calls ${article} ${noun} of ${title} with the arguments that ${prefix}explain_${noun} lists.`,
      effect: worst,
      settings,
      input: {
        type: 'object',
        properties: {
          [noun]: named,
          arguments: { type: 'object', description: `Arguments of the ${noun} by name` },
        },
        required: [noun],
        additionalProperties: false,
      },
      run: (async (given: JsonObject, call: Call) => {
        const one = found(String(given[noun]))
        const args = (given.arguments ?? {}) as JsonObject
        const input = one.input()
        const issues = (await compilingValidator.prepare(input))(args)
        if (issues.length > 0) throw new Refusal(explainIssues(one.name, input, args, issues))
        return one.run(args, call)
      }) as () => never,
    }),
  ]
}

function indexOf(entries: readonly CatalogueEntry[]): MiniSearch {
  const index = new MiniSearch({ fields: Object.keys(weights), tokenize: tokens })
  index.addAll(
    entries.map(({ name, title, place, tags, about, input }, id) => ({
      id,
      name,
      title: title ?? '',
      place: place ?? '',
      tags: tags.join(' '),
      about,
      arguments: Object.keys((input().properties ?? {}) as object).join(' '),
    })),
  )
  return index
}

/** Words of texts and of names in any style and script. */
const tokens = (text: string): string[] =>
  text
    .replace(/(\p{Ll}|\d)(\p{Lu})/gu, '$1 $2')
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word !== '')

const brief = (one: CatalogueEntry, noun: CatalogueOptions['noun']) => ({
  [noun]: one.name,
  does: one.title ?? one.about.split('\n')[0]?.slice(0, 200) ?? '',
  ...(one.place === undefined ? {} : { request: one.place }),
  effect: one.effect,
})
