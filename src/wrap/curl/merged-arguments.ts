import { isDeepStrictEqual } from 'node:util'
import type { JsonSchema } from '../../kit/schema.js'
import { generatedText } from './dynamic.js'
import { inferValues } from './infer.js'
import { soleVariable, variableMarks } from './recorded.js'
import type { TakenApart } from './taken-apart.js'

/** A value in each request of a group; undefined for requests without one. */
export type Occurrences = readonly unknown[]

/** The arguments of an operation that is merged from a group of requests, with their schema. */
export class MergedArguments {
  /** Templates of the arguments that are generated for each call. */
  readonly generated: Record<string, string> = {}
  /** Values of the requests become defaults and examples. */
  readonly keepsValues: boolean
  readonly #group: readonly TakenApart[]
  readonly #properties: Record<string, JsonSchema> = {}
  readonly #required: string[] = []
  readonly #defaults = new Map<string, unknown>()

  constructor(group: readonly TakenApart[], keepValues: boolean) {
    this.#group = group
    // Actions in a recording must not become part of the kit, neither to be repeated nor as examples.
    this.keepsValues = keepValues || !group.some(({ request }) => request.isRecording)
  }

  input(): JsonSchema {
    return {
      type: 'object',
      ...(Object.keys(this.#properties).length > 0 ? { properties: this.#properties } : {}),
      ...(this.#required.length > 0 ? { required: this.#required } : {}),
      additionalProperties: false,
    }
  }

  has(name: string): boolean {
    return name in this.#properties
  }

  /** An argument with the observed values: a default if they were equal, otherwise examples. */
  argument(name: string, values: Occurrences, isNeeded: boolean, schema?: JsonSchema): string {
    const generated = values.map((value) => (typeof value === 'string' ? generatedText(value) : undefined))
    const [template] = generated
    if (template !== undefined && generated.every((one) => one !== undefined))
      return this.generatedArgument(name, template, String(values[0]))
    const variable = values
      .map((value) => (typeof value === 'string' ? soleVariable(value) : undefined))
      .find((one) => one !== undefined)
    const seen = known(values).filter((value) => !hasVariable(value))
    const distinct = seen.filter((value, at) => seen.findIndex((other) => isDeepStrictEqual(other, value)) === at)
    const isAlways = seen.length === values.length
    const isTyped = schema !== undefined && !values.some(hasVariable)
    const shape: JsonSchema = isTyped ? schema : seen.length === 0 ? { type: 'string' } : inferValues(seen)
    const made = {
      ...shape,
      ...(this.keepsValues && distinct.length === 1 && isAlways ? { default: distinct[0] } : {}),
      ...(this.keepsValues && distinct.length > 0 ? { examples: distinct.slice(0, 5) } : {}),
    }
    const isRequired =
      (isNeeded && !this.keepsValues) ||
      seen.length === 0 ||
      (isAlways && distinct.length > 1) ||
      (isNeeded && !(distinct.length === 1 && isAlways))
    const argument = this.add(variable?.toLowerCase() ?? name, made, isRequired)
    if ('default' in made) this.#defaults.set(argument, made.default)
    return argument
  }

  /** A value that is new in each request: callers may give it; otherwise it is generated. */
  generatedArgument(name: string, template: string, marked: string): string {
    const isQuoted = this.#group.some(({ body: { text = '' } = {} }) =>
      text
        .split(`${JSON.stringify(name)}`)
        .some((after) => /^\s*:\s*"/.test(after) && after.includes(`"${marked}"`)),
    )
    const isNumber = /^\{\{(timestamp|randomInt)[^}]*\}\}$/.test(template) && !isQuoted
    const made = { type: isNumber ? 'integer' : 'string', description: 'Generated for each call if it is missing.' }
    const argument = this.add(name, made, false)
    this.generated[argument] = template
    return argument
  }

  /** A value with its original text, so that the same value is sent as it was written. */
  recordedOf(value: unknown, text: string | undefined): { recorded?: { value: unknown; text: string } } {
    return !this.keepsValues || value === undefined || text === undefined || hasVariable(value) || hasVariable(text)
      ? {}
      : { recorded: { value, text } }
  }

  /** The argument, and the value that is sent if it is missing. */
  from(argument: string): { argument: string; otherwise?: unknown } {
    return { argument, ...(this.#defaults.has(argument) ? { otherwise: this.#defaults.get(argument) } : {}) }
  }

  add(wanted: string, schema: JsonSchema, isRequired: boolean): string {
    const clean =
      wanted
        .replace(/[^A-Za-z0-9_.-]+/g, '_')
        .replace(/^_+|_+$/g, '')
        .slice(0, 60) || 'value'
    const name = uniqueIn(clean, new Set(Object.keys(this.#properties)))
    this.#properties[name] = schema
    if (isRequired) this.#required.push(name)
    return name
  }
}

export const known = (values: Occurrences): unknown[] => values.filter((value) => value !== undefined)
export const hasVariable = (value: unknown): boolean =>
  new RegExp(variableMarks.source).test(JSON.stringify(value ?? null))

export function uniqueIn(wanted: string, taken: ReadonlySet<string>): string {
  let name = wanted
  for (let count = 2; taken.has(name); count++) name = `${wanted}_${count}`
  return name
}
