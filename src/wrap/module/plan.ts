import { chosenFrom } from '../../kit/choose.js'
import type { Effect } from '../../kit/effects.js'
import type { Example } from '../../kit/part.js'
import type { JsonSchema } from '../../kit/schema.js'
import { guessEffect, snakeCase, wordsOf } from '../naming/effect-words.js'
import type { Definitions } from './conversion.js'
import { moduleErrors } from './errors.js'
import type { FunctionReading, ModuleReading, Parameter, Result, Skipped } from './reading.js'

/** What will be taken from a module, as JSON: shown by `jexo wrap`, and frozen into packed files. */
export interface ModulePlan {
  readonly version: 1
  readonly kind: 'module'
  readonly tools: readonly PlannedTool[]
  readonly skipped: readonly Skipped[]
  readonly warnings: readonly string[]
}
export interface PlannedTool {
  readonly name: string
  readonly path: readonly string[]
  readonly instanceOf?: string
  readonly where: string
  readonly title?: string
  readonly about: string
  /** False if the source says nothing, and `about` is made from the name. */
  readonly isDescribed: boolean
  readonly effect: Effect
  readonly isEffectGuessed: boolean
  readonly tags: readonly string[]
  readonly examples: readonly Example[]
  readonly parameters: readonly Parameter[]
  readonly input: JsonSchema
  readonly inputDefinitions: Definitions
  readonly result: Result
  /** The source says when it fails: its messages are meant for callers. */
  readonly showsErrors: boolean
}
export interface ModulePlanOptions {
  /** Tools to take, by name, glob or `tag:…`; all by default. */
  readonly only?: readonly string[]
  readonly except?: readonly string[]
  /** Put before every name. */
  readonly prefix?: string
  /** Names of tools, from those of the functions; snake_case by default. */
  readonly toolName?: (name: string) => string
  /** Put on every tool. */
  readonly tags?: readonly string[]
  /** What tools do to the world, by tool name, where neither `@effect` nor their name says so. */
  readonly effects?: Readonly<Record<string, Effect>>
}

/** Which parts there will be, from what was read. Throws a `JexoError` if two functions would get one name. */
export function planFunctions(
  reading: ModuleReading,
  options: ModulePlanOptions = {},
  instances: readonly string[] = [],
): ModulePlan {
  const { functions, skipped, warnings } = reading
  const callable = functions.filter(({ instanceOf }) => instanceOf === undefined || instances.includes(instanceOf))
  const planned = callable.map((read) => plannedTool(read, options))
  const view = ({ name, tags }: PlannedTool) => ({ key: name, tags })
  const wanted =
    options.only && options.only.length > 0 ? chosenFrom(planned, view, options.only) : new Set(planned)
  const unwanted = chosenFrom(planned, view, options.except ?? [])
  const tools = planned.filter((tool) => wanted.has(tool) && !unwanted.has(tool))
  mustDiffer(tools)
  return {
    version: 1,
    kind: 'module',
    tools,
    skipped: [...skipped, ...withoutInstance(functions, instances)],
    warnings,
  }
}

function plannedTool(
  read: FunctionReading,
  { prefix = '', toolName = snakeCase, effects = {}, tags = [] }: ModulePlanOptions,
): PlannedTool {
  const name = prefix + toolName(read.label.join('_'))
  const effect = effects[name] ?? read.effect
  return {
    name,
    path: read.path,
    ...(read.instanceOf === undefined ? {} : { instanceOf: read.instanceOf }),
    where: read.where,
    ...(read.title === undefined ? {} : { title: read.title }),
    about: read.about === '' ? aboutFromName(read) : read.about,
    isDescribed: read.about !== '',
    effect: effect ?? guessEffect(read.name),
    isEffectGuessed: effect === undefined,
    tags: [...tags, ...(read.isDeprecated ? ['deprecated'] : [])],
    examples: read.examples,
    parameters: read.parameters,
    input: read.input,
    inputDefinitions: read.inputDefinitions,
    result: read.result,
    showsErrors: /^Fails\b/m.test(read.about),
  }
}

/** A sentence is asked for; where the source has none, the name in words is all there is to say. */
function aboutFromName({ name, result }: FunctionReading): string {
  const words = wordsOf(name).join(' ')
  const sentence = `${words.charAt(0).toUpperCase()}${words.slice(1)}.`
  return result.about === undefined ? sentence : `${sentence} Gives: ${result.about}`
}

function mustDiffer(tools: readonly PlannedTool[]): void {
  const seen = new Map<string, PlannedTool>()
  for (const tool of tools) {
    const earlier = seen.get(tool.name)
    const label = ({ path, where }: PlannedTool) => `${path.join('.')} (${where})`
    if (earlier) throw moduleErrors.wrapNameTaken(tool.name, label(earlier), label(tool))
    seen.set(tool.name, tool)
  }
}

function withoutInstance(functions: readonly FunctionReading[], instances: readonly string[]): Skipped[] {
  return functions.flatMap(({ name, where, instanceOf }) =>
    instanceOf === undefined || instances.includes(instanceOf)
      ? []
      : [
          {
            name: `${instanceOf}.${name}`,
            where,
            reason: `it needs an instance of ${instanceOf}`,
            fix: `pass one: instances: { ${instanceOf}: shared(() => new ${instanceOf}(…)) }`,
          },
        ],
  )
}
