import type { Effect } from '../../kit/effects.js'
import type { JsonSchema } from '../../kit/schema.js'
import { firstTwice, mismatchOf } from '../schema/checked.js'
import { processErrors } from './errors.js'

/** The description that a program prints as its first line. */
export interface ProcessDescription {
  readonly version: 1
  readonly name?: string
  readonly about?: string
  readonly tools: readonly DescribedFunction[]
  /** True if it handles several calls concurrently, in any order, each with the `id` of its call. Default: false. */
  readonly concurrent?: boolean
  /**
   * True if it stops a call on `{"cancel": id}`. Otherwise a cancelled call ends the program, unless it is concurrent.
   * Default: false.
   */
  readonly cancel?: boolean
}
export interface DescribedFunction {
  readonly name: string
  readonly title?: string
  readonly about: string
  /** JSON Schema of an object. Default: no arguments. */
  readonly input?: JsonSchema
  /** JSON Schema of `output`. */
  readonly output?: JsonSchema
  /** Default: `change`. */
  readonly effect?: Effect
}

const text = { type: 'string', minLength: 1, maxLength: 20_000 } as const

/** The schema of a description; `schemas/process.schema.json` is a copy. */
export const processSchema: JsonSchema = {
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  $id: 'jexo:process.schema.json',
  title: 'First line printed by a program that handles calls as JSON lines',
  type: 'object',
  properties: {
    version: { const: 1, description: 'Version of the format.' },
    name: { ...text, maxLength: 100, description: 'Name of the program.' },
    about: { ...text, description: 'Description of the program.' },
    tools: {
      description: 'The tools of the program.',
      type: 'array',
      minItems: 1,
      maxItems: 500,
      items: {
        type: 'object',
        properties: {
          name: { type: 'string', pattern: '^[A-Za-z0-9_.-]{1,128}$' },
          title: { ...text, maxLength: 200 },
          about: { ...text, description: 'Description for the model.' },
          input: {
            type: 'object',
            properties: { type: { const: 'object' } },
            required: ['type'],
            description: 'JSON Schema of the arguments: an object. Default: no arguments.',
          },
          output: { type: 'object', description: 'JSON Schema of the result.' },
          effect: { enum: ['read', 'add', 'change', 'remove'], default: 'change' },
        },
        required: ['name', 'about'],
        additionalProperties: false,
      },
    },
    concurrent: {
      type: 'boolean',
      description: 'The program handles several calls at a time. Each reply contains the id of its call.',
    },
    cancel: { type: 'boolean', description: 'The program stops a call on {"cancel": id}.' },
  },
  required: ['version', 'tools'],
  additionalProperties: false,
}

/** Reads the first line of a program. Rejects with a `JexoError` that names the problem. */
export async function readDescription(line: string, program: string): Promise<ProcessDescription> {
  let value: unknown
  try {
    value = JSON.parse(line)
  } catch {
    throw processErrors.description(program, `it is not JSON: ${JSON.stringify(line.slice(0, 120))}`)
  }
  const mismatch = await mismatchOf(processSchema, value, 'the line')
  if (mismatch !== undefined) throw processErrors.description(program, mismatch)
  const description = value as ProcessDescription
  const twice = firstTwice(description.tools.map(({ name }) => name))
  if (twice !== undefined) throw processErrors.description(program, `two tools are called ${twice}`)
  return description
}
