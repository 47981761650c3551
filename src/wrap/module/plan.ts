import { chosenFrom } from '../../kit/choose.js'
import type { Effect } from '../../kit/effects.js'
import type { Example } from '../../kit/part.js'
import type { JsonSchema } from '../../kit/schema.js'
import { guessEffect, snakeCase, wordsOf } from '../naming/effect-words.js'
import type { Definitions } from './conversion.js'
import type { CallForm, FunctionReading, ModuleReading, Parameter, Result, Skipped } from './reading.js'

/** The parts of a module, as JSON: `jexo wrap` shows it, and packed files contain it. */
export interface ModulePlan {
  readonly version: 1
  readonly kind: 'module'
  /** The name of the file or package. */
  readonly title: string
  /** True for JavaScript without type declarations. */
  readonly isUntyped: boolean
  /** One tool per function, or a catalogue of three tools that search, explain and call. */
  readonly form: 'tools' | 'catalogue'
  /** Prefix of the names of the catalogue's tools. */
  readonly cataloguePrefix?: string
  readonly tools: readonly PlannedTool[]
  readonly skipped: readonly Skipped[]
  readonly warnings: readonly string[]
  /** A line for each input member that was left out since JSON cannot represent it, and for each renamed argument. */
  readonly notes: readonly string[]
}
export interface PlannedTool {
  readonly name: string
  readonly path: readonly string[]
  readonly instanceOf?: string
  readonly where: string
  readonly title?: string
  readonly about: string
  /** False if the source has no description, so that `about` is derived from the name. */
  readonly isDescribed: boolean
  readonly effect: Effect
  readonly isEffectGuessed: boolean
  readonly tags: readonly string[]
  readonly examples: readonly Example[]
  readonly parameters: readonly Parameter[]
  /** The overloads of a function, which are distinguished by the given arguments. */
  readonly forms?: readonly CallForm[]
  /** The compiler cannot tell the types of a call from JSON: it has overloads, or type parameters. */
  readonly isLooselyTyped?: true
  readonly input: JsonSchema
  readonly inputDefinitions: Definitions
  readonly result: Result
  /** True if the source documents its errors: their messages are meant for callers. */
  readonly showsErrors: boolean
  readonly omitted: readonly string[]
}
export interface ModulePlanOptions {
  /** Tools to include, by name, glob or `tag:…`. Default: all. */
  readonly only?: readonly string[]
  readonly except?: readonly string[]
  /** Prefix of all names. */
  readonly prefix?: string
  /** Style of tool names, derived from those of the functions. Default: snake_case. */
  readonly toolName?: (name: string) => string
  /** Tags of all tools. */
  readonly tags?: readonly string[]
  /** Effects by tool name, for tools whose effect follows neither from `@effect` nor from their name. */
  readonly effects?: Readonly<Record<string, Effect>>
  /** Three tools (search, explain, call) instead of one for each function. Default: false. */
  readonly catalogue?: boolean
}

/** Plans the parts of a module. Throws a `JexoError` if a name matches nothing. */
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
  const different = distinct(planned.filter((tool) => wanted.has(tool) && !unwanted.has(tool)))
  const { tools } = different
  return {
    version: 1,
    kind: 'module',
    title: reading.title,
    isUntyped: reading.isUntyped,
    form: options.catalogue ? 'catalogue' : 'tools',
    ...(options.catalogue && options.prefix ? { cataloguePrefix: options.prefix } : {}),
    tools,
    skipped: [...skipped, ...different.skipped, ...withoutInstance(functions, instances)],
    warnings,
    notes: [
      ...different.notes,
      ...tools.flatMap(({ name, omitted }) => omitted.map((what) => `${name} never passes ${what}`)),
    ],
  }
}

function plannedTool(
  read: FunctionReading,
  { prefix = '', toolName = snakeCase, effects = {}, tags = [] }: ModulePlanOptions,
): PlannedTool {
  // A name without letters, such as `_`, contains no words.
  const name = prefix + (toolName(read.label.join('_')) || `function_${read.path.length}`)
  const effect = effects[name] ?? read.effect
  return {
    name,
    path: read.path,
    ...(read.instanceOf === undefined ? {} : { instanceOf: read.instanceOf }),
    where: read.where,
    ...(read.title === undefined ? {} : { title: read.title }),
    about: [read.about === '' ? aboutFromName(read) : read.about, ...formsText(read)].join('\n'),
    isDescribed: read.about !== '',
    effect: effect ?? (givesWhatItReads(read) ? 'read' : guessEffect(read.name)),
    isEffectGuessed: effect === undefined,
    tags: [...tags, ...(read.isDeprecated ? ['deprecated'] : [])],
    examples: read.examples,
    parameters: read.parameters,
    ...(read.forms ? { forms: read.forms } : {}),
    ...(read.isLooselyTyped ? { isLooselyTyped: true } : {}),
    input: read.input,
    inputDefinitions: read.inputDefinitions,
    result: read.result,
    omitted: read.omitted,
    showsErrors: /^Fails\b/m.test(read.about),
  }
}

/** A function without a result must have an effect that its body does not show. */
const givesWhatItReads = ({ onlyReads, result }: FunctionReading) => onlyReads === true && result.form !== 'nothing'

/** The description of a tool, which must be a sentence; derived from the name if the source has none. */
function aboutFromName({ name, result }: FunctionReading): string {
  const words = wordsOf(name).join(' ')
  const sentence = `${words.charAt(0).toUpperCase()}${words.slice(1)}.`
  return result.about === undefined ? sentence : `${sentence} Returns: ${result.about}`
}

/** The argument sets of the overloads. */
function formsText({ forms }: FunctionReading): string[] {
  return forms ? [`Arguments that go together: ${formNames(forms)}.`] : []
}

/** `code, date; or from, to` */
export const formNames = (forms: readonly CallForm[]): string =>
  [...new Set(forms.map(({ parameters }) => argumentNames(parameters).join(', ') || 'none'))].join('; or ')

/** Names of the arguments that parameters are filled from. */
export const argumentNames = (parameters: readonly Parameter[]): string[] =>
  parameters.flatMap((parameter) => {
    if (parameter.kind === 'object') return parameter.properties.map(({ name }) => name)
    return parameter.kind === 'value' || parameter.kind === 'rest' ? [parameter.name] : []
  })

/** Makes the names of tools unique: a function that is exported twice becomes one tool; different functions with the same name get a number. */
function distinct(planned: readonly PlannedTool[]): { tools: PlannedTool[]; skipped: Skipped[]; notes: string[] } {
  const byName = new Map<string, PlannedTool>()
  const skipped: Skipped[] = []
  const notes: string[] = []
  const label = ({ path }: PlannedTool) => path.join('.')
  for (const tool of planned) {
    const same = [...byName.values()].find(
      ({ name, where, instanceOf }) => name === tool.name && where === tool.where && instanceOf === tool.instanceOf,
    )
    if (same) {
      skipped.push({
        ...{ name: label(tool), where: tool.where },
        ...{ reason: `it is the same function as ${label(same)}`, fix: `call ${same.name}` },
      })
      continue
    }
    let { name } = tool
    for (let number = 2; byName.has(name); number++) name = `${tool.name}_${number}`
    if (name !== tool.name)
      notes.push(
        `${name} is ${label(tool)} (${tool.where}), since ${label(byName.get(tool.name) as PlannedTool)} is ${tool.name}`,
      )
    byName.set(name, { ...tool, name })
  }
  return { tools: [...byName.values()], skipped, notes }
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
