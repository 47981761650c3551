import { isObject, type JsonObject } from '../protocol/messages.js'
import type { Snapshot } from './snapshot.js'

/** The saved interface of a server, which its users depend on. */
export interface Contract {
  version: 1
  kind: 'contract'
  name: string
  tools: Record<string, { input: JsonObject; output?: JsonObject }>
  prompts: Record<string, { required: string[] }>
  resources: string[]
  templates: string[]
}

export function toContract({ name, tools, prompts, resources, templates }: Snapshot): Contract {
  return {
    version: 1,
    kind: 'contract',
    name,
    tools: Object.fromEntries(
      tools.map(({ name, inputSchema, outputSchema }) => [
        name,
        { input: inputSchema, ...(isObject(outputSchema) ? { output: outputSchema } : {}) },
      ]),
    ),
    prompts: Object.fromEntries(
      prompts.map(({ name, arguments: given = [] }) => [
        name,
        { required: given.filter(({ required }) => required).map(({ name }) => name) },
      ]),
    ),
    resources: resources.map(({ uri }) => uri),
    templates: templates.map(({ uriTemplate }) => uriTemplate),
  }
}

export interface Drift {
  where: string
  what: string
  isBreaking: boolean
}

/** Lists the changes; a change is breaking if it affects existing callers. */
export function diffContracts(before: Contract, now: Contract): Drift[] {
  return [
    ...between('tool', before.tools, now.tools, (name, old, current) => [
      ...inputDrift(`tool ${name}`, old.input, current.input),
      ...outputDrift(`tool ${name}`, old.output, current.output),
    ]),
    ...between('prompt', before.prompts, now.prompts, (name, old, current) =>
      current.required
        .filter((argument) => !old.required.includes(argument))
        .map((argument) => ({
          where: `prompt ${name}`,
          what: `the argument ${argument} is now required`,
          isBreaking: true,
        })),
    ),
    ...lists('resource', before.resources, now.resources),
    ...lists('template', before.templates, now.templates),
  ]
}

function between<T>(
  kind: string,
  before: Record<string, T>,
  now: Record<string, T>,
  compare: (name: string, old: T, current: T) => Drift[],
): Drift[] {
  const gone = Object.keys(before).filter((name) => !Object.hasOwn(now, name))
  const fresh = Object.keys(now).filter((name) => !Object.hasOwn(before, name))
  return [
    ...gone.map((name) => ({ where: `${kind} ${name}`, what: 'it was removed', isBreaking: true })),
    ...fresh.map((name) => ({ where: `${kind} ${name}`, what: 'it was added', isBreaking: false })),
    ...Object.entries(before).flatMap(([name, old]) => {
      const current = now[name]
      return current === undefined ? [] : compare(name, old, current)
    }),
  ]
}

const lists = (kind: string, before: readonly string[], now: readonly string[]): Drift[] => [
  ...before
    .filter((uri) => !now.includes(uri))
    .map((uri) => ({ where: `${kind} ${uri}`, what: 'it was removed', isBreaking: true })),
  ...now
    .filter((uri) => !before.includes(uri))
    .map((uri) => ({ where: `${kind} ${uri}`, what: 'it was added', isBreaking: false })),
]

/** Existing input must stay valid: requirements may be relaxed, not tightened. */
function inputDrift(where: string, before: JsonObject, now: JsonObject): Drift[] {
  const [old, current] = [fieldsOf(before), fieldsOf(now)]
  const drift: Drift[] = []
  for (const [name, schema] of Object.entries(current.fields)) {
    const was = old.fields[name]
    const isRequired = current.required.has(name)
    if (was === undefined)
      drift.push({
        where,
        what: `the argument ${name} is new${isRequired ? ' and required' : ''}`,
        isBreaking: isRequired,
      })
    else {
      if (isRequired && !old.required.has(name))
        drift.push({ where, what: `the argument ${name} is now required`, isBreaking: true })
      drift.push(...narrowing(where, `the argument ${name}`, was, schema))
    }
  }
  for (const name of Object.keys(old.fields))
    if (!Object.hasOwn(current.fields, name))
      drift.push({ where, what: `the argument ${name} is gone`, isBreaking: now.additionalProperties === false })
  return drift
}

/** Output must stay complete: properties may be added, not removed. */
function outputDrift(where: string, before: JsonObject | undefined, now: JsonObject | undefined): Drift[] {
  if (!before) return now ? [{ where, what: 'its output now has a schema', isBreaking: false }] : []
  if (!now) return [{ where, what: 'its output no longer has a schema', isBreaking: true }]
  const [old, current] = [fieldsOf(before), fieldsOf(now)]
  return Object.entries(old.fields).flatMap(([name, schema]) => {
    const is = current.fields[name]
    if (is === undefined) return [{ where, what: `the field ${name} of its output was removed`, isBreaking: true }]
    if (old.required.has(name) && !current.required.has(name))
      return [{ where, what: `the field ${name} of its output may now be missing`, isBreaking: true }]
    return narrowing(where, `the field ${name} of its output`, is, schema)
  })
}

/** Constraints that were added to a schema: type, choices, limits. */
function narrowing(where: string, label: string, before: JsonObject, now: JsonObject): Drift[] {
  const drift: Drift[] = []
  const told = (what: string, isBreaking: boolean) => drift.push({ where, what: `${label} ${what}`, isBreaking })
  const [was, is] = [typesOf(before), typesOf(now)]
  if (was.length > 0 && is.length > 0 && was.some((type) => !is.includes(type)))
    told(`was ${was.join(' or ')}, and is ${is.join(' or ')} now`, true)
  const [choices, fewer] = [before.enum, now.enum]
  if (Array.isArray(fewer)) {
    const gone = Array.isArray(choices) ? choices.filter((choice) => !fewer.includes(choice)) : undefined
    if (gone === undefined) told('now has a list of choices', true)
    else if (gone.length > 0) told(`no longer accepts ${gone.map(String).join(', ')}`, true)
  }
  if (now.pattern !== undefined && now.pattern !== before.pattern) told('has a different pattern', true)
  for (const key of ['minimum', 'minLength', 'minItems'])
    if (typeof now[key] === 'number' && now[key] > Number(before[key] ?? Number.NEGATIVE_INFINITY))
      told(`has a greater ${key}`, true)
  for (const key of ['maximum', 'maxLength', 'maxItems'])
    if (typeof now[key] === 'number' && now[key] < Number(before[key] ?? Number.POSITIVE_INFINITY))
      told(`has a smaller ${key}`, true)
  return drift
}

const typesOf = ({ type }: JsonObject): unknown[] => (type === undefined ? [] : [type].flat())

function fieldsOf({ properties, required }: JsonObject) {
  const fields = isObject(properties) ? properties : {}
  return {
    fields: Object.fromEntries(
      Object.entries(fields).map(([name, schema]) => [name, isObject(schema) ? schema : {}]),
    ),
    required: new Set(Array.isArray(required) ? required : []),
  }
}
