import { isObject, type JsonObject } from '../protocol/messages.js'
import type { ContentBlock, PromptArgument } from '../protocol/types.js'
import { branded, brands } from './brand.js'
import type { Call, Completer } from './call.js'
import { kitErrors } from './errors.js'
import { checkKeys, extraKeys } from './option-keys.js'
import {
  checkAbout,
  checkFunction,
  checkName,
  extrasOf,
  labelOf,
  type MessageGiven,
  type PartExtras,
  type PromptPart,
} from './part.js'
import { type Given, type JsonSchema, jsonSchemaOf, type Schema } from './schema.js'
import type { Settings } from './settings.js'
import type { ArgumentsOf, KeysOf, TextArguments } from './typing.js'

type PromptReturn = string | ContentBlock | MessageGiven | readonly (MessageGiven | ContentBlock | string)[]

export interface PromptOptions<In extends Schema | undefined, S extends Settings = Settings> extends PartExtras<S> {
  about: string
  /** An object of strings or enums of strings, required or optional; prompt arguments have no other types. */
  input?: In & TextArguments<In>
  /** Completions of an argument; enums are completed automatically. */
  complete?: { readonly [Argument in KeysOf<ArgumentsOf<In>>]?: Completer<S> }
  /** Returns a string (one message of the user) or messages. */
  run(args: Given<In>, call: Call<S>): PromptReturn | Promise<PromptReturn>
}

const promptKeys = ['about', 'input', 'complete', 'run', ...extraKeys]

/** Defines a prompt: messages for the host, made from arguments (Prompts). */
export function prompt<const In extends Schema | undefined = undefined, const S extends Settings = Settings>(
  name: string,
  options: PromptOptions<In, S>,
): PromptPart {
  checkName('prompt', name)
  const label = labelOf('prompt', name)
  checkKeys(label, options, promptKeys)
  checkAbout(label, options.about)
  checkFunction(label, 'run', options.run)
  const inputSchema = jsonSchemaOf(label, 'input', options.input)
  const fields = argumentsOf(label, inputSchema)
  for (const argument of Object.keys(options.complete ?? {})) {
    if (!fields.some((field) => field.name === argument)) {
      throw kitErrors.partField(label, `complete.${argument}`, 'a completion for one of its arguments')
    }
  }
  const part: PromptPart = {
    kind: 'prompt',
    name,
    about: options.about,
    ...extrasOf(label, options),
    input: options.input,
    inputSchema,
    arguments: fields,
    complete: Object.freeze({
      ...enumCompleters(inputSchema),
      ...(options.complete as Record<string, Completer> | undefined),
    }),
    run: options.run as PromptPart['run'],
  }
  return branded(part, brands.part)
}

function argumentsOf(label: string, schema: JsonSchema): readonly PromptArgument[] {
  const required = Array.isArray(schema.required) ? schema.required : []
  const properties = Object.entries(isObject(schema.properties) ? schema.properties : {})
  return properties.map(([name, property]) => {
    if (!isObject(property) || !isStringLike(property)) throw kitErrors.promptField(label, name)
    return Object.freeze({
      name,
      ...(typeof property.title === 'string' ? { title: property.title } : {}),
      ...(typeof property.description === 'string' ? { description: property.description } : {}),
      ...(required.includes(name) ? { required: true } : {}),
    })
  })
}

function isStringLike(property: JsonObject): boolean {
  if (property.type === 'string' || typeof property.const === 'string') return true
  return Array.isArray(property.enum) && property.enum.every((value) => typeof value === 'string')
}

function enumCompleters(schema: JsonSchema): Record<string, Completer> {
  const found: Record<string, Completer> = {}
  for (const [name, property] of Object.entries(isObject(schema.properties) ? schema.properties : {})) {
    const values = isObject(property) && Array.isArray(property.enum) ? (property.enum as string[]) : undefined
    if (values)
      found[name] = (typed) => values.filter((value) => value.toLowerCase().startsWith(typed.toLowerCase()))
  }
  return found
}
