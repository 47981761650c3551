import MiniSearch from 'minisearch'
import type { Call } from '../../kit/call.js'
import { closestTo } from '../../kit/closest.js'
import { compilingValidator } from '../../kit/compiling-validator.js'
import type { Effect } from '../../kit/effects.js'
import type { Part } from '../../kit/part.js'
import { Refusal } from '../../kit/refusal.js'
import { tool } from '../../kit/tool.js'
import { explainIssues } from '../../kit/validation.js'
import type { JsonObject } from '../../protocol/messages.js'
import { carriedOut, inputOf, outputOf, type PartsKit } from './carry-out.js'
import { exampleOf } from './example.js'
import type { PlannedOperation, RestPlan } from './operation.js'
import { placeOf } from './place.js'

const weights = { name: 4, title: 3, path: 2, tags: 2, about: 1, arguments: 1 }
const rank: readonly Effect[] = ['read', 'add', 'change', 'remove']

/** Three tools instead of one for each operation: find one by words, have it explained, carry it out. */
export function catalogueParts(plan: RestPlan, kit: PartsKit): Part[] {
  const { operations, title } = plan
  const byName = new Map(operations.map((operation) => [operation.name, operation]))
  const worst = operations.reduce<Effect>(
    (most, { effect }) => (rank.indexOf(effect) > rank.indexOf(most) ? effect : most),
    'read',
  )
  const prefix = plan.cataloguePrefix ?? ''
  const operation = {
    type: 'string',
    description: `Name of an operation, as returned by ${prefix}find_operation`,
  } as const
  const found = (name: string): PlannedOperation => {
    const known = byName.get(name)
    if (known) return known
    const closest = closestTo(name, [...byName.keys()])
    throw new Refusal(
      `There is no operation ${JSON.stringify(name)}${closest.length > 0 ? `; the closest are ${closest.join(', ')}` : ''}. Search with ${prefix}find_operation.`,
    )
  }
  let index: MiniSearch | undefined
  const { settings } = kit
  return [
    tool(`${prefix}find_operation`, {
      about: `Searches the ${operations.length} operations of ${title} by words. Then use ${prefix}explain_operation for the arguments of one, and ${prefix}carry_out_operation to call it.`,
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
        index ??= indexOf(operations)
        const hits = index
          .search(words, { boost: weights, prefix: true, fuzzy: 0.2, combineWith: 'OR' })
          .slice(0, most)
        return {
          operations: hits.map(({ id }) => brief(operations[id as number] as PlannedOperation)),
          ...(hits.length === 0 ? { note: 'No operation has these words; try others, or fewer.' } : {}),
        }
      },
    }),
    tool(`${prefix}explain_operation`, {
      about: `Explains an operation of ${title}: what it does, its arguments, its result, and an example.`,
      effect: 'read',
      settings,
      input: {
        type: 'object',
        properties: { operation },
        required: ['operation'],
        additionalProperties: false,
      } as const,
      run({ operation: name }) {
        const one = found(name)
        const input = inputOf(plan, one)
        const output = outputOf(plan, one)
        return {
          ...brief(one),
          about: one.about,
          arguments: input,
          ...(output ? { answer: output } : {}),
          ...(one.answer.statuses ? { answers: one.answer.statuses } : {}),
          example: { operation: name, arguments: one.examples[0]?.input ?? exampleOf(input) },
        }
      },
    }),
    tool(`${prefix}carry_out_operation`, {
      about: `Calls an operation of ${title} with the arguments that ${prefix}explain_operation lists.`,
      effect: worst,
      settings,
      input: {
        type: 'object',
        properties: { operation, arguments: { type: 'object', description: 'Arguments of the operation by name' } },
        required: ['operation'],
        additionalProperties: false,
      },
      run: (async (given: { operation: string; arguments?: JsonObject }, call: Call) => {
        const one = found(given.operation)
        const args = given.arguments ?? {}
        const input = inputOf(plan, one)
        const issues = (await compilingValidator.prepare(input))(args)
        if (issues.length > 0) throw new Refusal(explainIssues(one.name, input, args, issues))
        return carriedOut(one, args, call, kit)
      }) as () => never,
    }),
  ]
}

function indexOf(operations: readonly PlannedOperation[]): MiniSearch {
  const index = new MiniSearch({ fields: Object.keys(weights), tokenize: tokens })
  index.addAll(
    operations.map(({ name, title, path, tags, about, input }, id) => ({
      id,
      name,
      title: title ?? '',
      path,
      tags: tags.join(' '),
      about,
      arguments: Object.keys((input.properties ?? {}) as object).join(' '),
    })),
  )
  return index
}

/** Words of prose and of names in any style, in any script. */
const tokens = (text: string): string[] =>
  text
    .replace(/(\p{Ll}|\d)(\p{Lu})/gu, '$1 $2')
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word !== '')

const brief = (one: PlannedOperation) => ({
  operation: one.name,
  does: one.title ?? one.about.split('\n')[0]?.slice(0, 200) ?? '',
  request: placeOf(one),
  effect: one.effect,
})
