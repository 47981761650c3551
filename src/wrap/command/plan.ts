import { chosenFrom } from '../../kit/choose.js'
import type { JsonSchema } from '../../kit/schema.js'
import type { CommandDescription, DescribedArgument, DescribedCommand } from './description.js'

export interface CommandPlanOptions {
  /** Names of tools; `*` matches any characters. Default: all. */
  readonly only?: readonly string[]
  readonly except?: readonly string[]
  /** Prefix of the tool names. */
  readonly prefix?: string
  readonly tags?: readonly string[]
}

/** The tools of a program, as plain JSON. */
export interface CommandPlan {
  readonly version: 1
  readonly kind: 'command'
  readonly program: string
  readonly tools: readonly PlannedProgramCall[]
  readonly tags: readonly string[]
}
export interface PlannedProgramCall {
  readonly name: string
  readonly input: JsonSchema
  readonly command: DescribedCommand
}

/** Plans the tools of a program. Pure. Throws a `JexoError` if a name matches nothing. */
export function planCommands(
  { program, commands }: CommandDescription,
  { only = [], except = [], prefix = '', tags = [] }: CommandPlanOptions = {},
): CommandPlan {
  const view = ({ tool }: DescribedCommand) => ({ key: tool })
  const taken = only.length === 0 ? new Set(commands) : chosenFrom(commands, view, only)
  const left = chosenFrom(commands, view, except)
  const tools = commands
    .filter((command) => taken.has(command) && !left.has(command))
    .map((command) => ({ name: `${prefix}${command.tool}`, input: inputOf(command), command }))
  return { version: 1, kind: 'command', program, tools, tags }
}

function inputOf({ arguments: given = {} }: DescribedCommand): JsonSchema {
  const required = Object.entries(given).flatMap(([name, one]) => (one.required ? [name] : []))
  return {
    type: 'object',
    properties: Object.fromEntries(Object.entries(given).map(([name, one]) => [name, propertyOf(one)])),
    ...(required.length > 0 ? { required } : {}),
    additionalProperties: false,
  }
}

function propertyOf(argument: DescribedArgument): JsonSchema {
  const { about, type = 'string', choices, minimum, maximum, pattern, repeat } = argument
  const item = {
    type: type === 'file' ? 'string' : type,
    ...(choices ? { enum: [...choices] } : {}),
    ...(minimum === undefined ? {} : { minimum }),
    ...(maximum === undefined ? {} : { maximum }),
    ...(pattern === undefined ? {} : { pattern }),
  }
  const described = about ?? (type === 'file' ? 'Path below the folder of the tool' : undefined)
  return {
    ...(repeat ? { type: 'array', items: item, maxItems: 1000 } : item),
    ...(described === undefined ? {} : { description: described }),
    ...(argument.default === undefined ? {} : { default: argument.default }),
  }
}
