import { readFile } from 'node:fs/promises'
import { basename } from 'node:path'
import type { Effect } from '../../kit/effects.js'
import type { JsonSchema } from '../../kit/schema.js'
import { readYamlOr } from '../../yaml/read-yaml.js'
import { firstTwice, mismatchOf } from '../schema/checked.js'
import { commandErrors } from './errors.js'

/** The content of a `.commands.yaml` file: a program, and the calls that become tools. */
export interface CommandDescription {
  readonly version: 1
  /** Name in the search path, or absolute path. */
  readonly program: string
  readonly commands: readonly DescribedCommand[]
}

export interface DescribedCommand {
  /** Name of the tool. */
  readonly tool: string
  readonly about: string
  /** Fixed arguments, which come first. */
  readonly run?: readonly string[]
  /** Default: `change`. */
  readonly effect?: Effect
  readonly arguments?: Readonly<Record<string, DescribedArgument>>
  /** Format of stdout. Default: `text`. */
  readonly output?: 'text' | 'json' | 'lines' | 'bytes'
  /** Media type of `bytes`, such as `image/png`. */
  readonly mimeType?: string
  /** Exit codes that are not failures. Default: 0. */
  readonly okExits?: readonly number[]
  /** Meanings of exit codes, for callers: `{ 1: 'nothing was found' }`. */
  readonly exits?: Readonly<Record<string, string>>
  /** Pattern for lines of stderr whose first group is a percentage. */
  readonly progress?: string
  readonly timeoutMs?: number
  /** False for a program that does not support `--` before its positional arguments. */
  readonly separator?: boolean
}

export interface DescribedArgument {
  readonly about?: string
  /** A flag such as `--author` or `-n`. Without one, the argument is positional, in the order of the file. */
  readonly type?: 'string' | 'integer' | 'number' | 'boolean' | 'file'
  /** Such as `--author` or `-n`; without one, it is positional, in the order of the file. */
  readonly flag?: string
  /** Between flag and value: `=`, a new argument (`space`), or `nothing`. Default: `=` after `--`, else `space`. */
  readonly join?: '=' | 'space' | 'nothing'
  readonly choices?: readonly string[]
  readonly required?: boolean
  readonly default?: string | number | boolean
  readonly minimum?: number
  readonly maximum?: number
  readonly pattern?: string
  /** Accepts a list. */
  readonly repeat?: boolean
  /** Sent to stdin instead of the command line. */
  readonly stdin?: boolean
}

const text = { type: 'string', minLength: 1 } as const

/** The schema of a `.commands.yaml` file; `schemas/commands.schema.json` is a copy. */
export const commandsSchema: JsonSchema = {
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  $id: 'jexo:commands.schema.json',
  title: 'Calls of a command-line program that become tools (suffix .commands.yaml)',
  type: 'object',
  properties: {
    version: { const: 1, description: 'Version of the format.' },
    program: { ...text, description: 'Name of the program in PATH, or its absolute path.' },
    commands: {
      description: 'The tools.',
      type: 'array',
      minItems: 1,
      maxItems: 500,
      items: {
        type: 'object',
        properties: {
          tool: { type: 'string', pattern: '^[A-Za-z0-9_.-]{1,128}$', description: 'Name of the tool.' },
          about: { ...text, description: 'Description for the model.' },
          run: { type: 'array', items: { type: 'string' }, description: 'Fixed arguments, before all others.' },
          effect: { enum: ['read', 'add', 'change', 'remove'], default: 'change' },
          arguments: { type: 'object', additionalProperties: { $ref: '#/$defs/argument' } },
          output: {
            enum: ['text', 'json', 'lines', 'bytes'],
            default: 'text',
            description: 'Form of the output on stdout.',
          },
          mimeType: { ...text, description: 'MIME type of the bytes, such as image/png.' },
          okExits: {
            type: 'array',
            items: { type: 'integer' },
            description: 'Exit codes that do not mean failure.',
          },
          exits: { type: 'object', additionalProperties: text, description: 'Meaning of exit codes.' },
          progress: { ...text, description: 'Pattern for lines of stderr. Its first group is a percentage.' },
          timeoutMs: { type: 'integer', minimum: 1, maximum: 86_400_000 },
          separator: { type: 'boolean', description: 'False for a program that does not support "--".' },
        },
        required: ['tool', 'about'],
        additionalProperties: false,
      },
    },
  },
  required: ['version', 'program', 'commands'],
  additionalProperties: false,
  $defs: {
    argument: {
      type: 'object',
      properties: {
        about: text,
        type: { enum: ['string', 'integer', 'number', 'boolean', 'file'], default: 'string' },
        flag: { type: 'string', pattern: '^--?[A-Za-z0-9][A-Za-z0-9._-]*$' },
        join: { enum: ['=', 'space', 'nothing'] },
        choices: { type: 'array', items: { type: 'string' }, minItems: 1 },
        required: { type: 'boolean' },
        default: { type: ['string', 'number', 'boolean'] },
        minimum: { type: 'number' },
        maximum: { type: 'number' },
        pattern: text,
        repeat: { type: 'boolean' },
        stdin: { type: 'boolean', description: 'Sends the value to stdin instead of the command line.' },
      },
      additionalProperties: false,
    },
  },
}

/** Reads a `.commands.yaml` file. Rejects with a `JexoError` that says where the error is. */
export async function readCommands(file: string): Promise<CommandDescription> {
  const content = await readFile(file, 'utf8').catch((error: NodeJS.ErrnoException) => {
    throw commandErrors.unreadable(file, `the file cannot be read (${error.code ?? error.message})`)
  })
  const { value } = readYamlOr(content, (located) => commandErrors.unreadable(basename(file), located))
  return checkedCommands(value, basename(file))
}

/** Checks a description. Rejects with a `JexoError` that names the problem. */
export async function checkedCommands(value: unknown, where: string): Promise<CommandDescription> {
  const mismatch = await mismatchOf(commandsSchema, value, 'the file')
  if (mismatch !== undefined) throw commandErrors.unreadable(where, mismatch)
  const description = value as CommandDescription
  const twice = firstTwice(description.commands.map(({ tool }) => tool))
  if (twice !== undefined) throw commandErrors.unreadable(where, `two commands have the tool ${twice}`)
  for (const { tool, progress } of description.commands) checkPattern(where, tool, progress)
  for (const { tool, arguments: given = {} } of description.commands)
    if (Object.values(given).filter(({ stdin }) => stdin).length > 1)
      throw commandErrors.unreadable(where, `${tool} has two arguments for stdin`)
  return description
}

function checkPattern(where: string, tool: string, progress: string | undefined): void {
  try {
    if (progress !== undefined) new RegExp(progress, 'u')
  } catch {
    throw commandErrors.unreadable(where, `the progress pattern of ${tool} is not a regular expression`)
  }
}
