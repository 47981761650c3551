import { isJexoError } from '../../errors.js'
import type { Call } from '../../kit/call.js'
import type { ToolPart } from '../../kit/part.js'
import { isRefusal, Refusal } from '../../kit/refusal.js'
import { noOutput } from '../../kit/schema.js'
import type { Shared } from '../../kit/shared.js'
import { tool } from '../../kit/tool.js'
import type { JsonObject } from '../../protocol/messages.js'
import { type CatalogueEntry, catalogueParts } from '../catalogue/catalogue.js'
import { fromJson, toJson, withoutMissing } from './conversion.js'
import { argumentNames, formNames, type ModulePlan, type PlannedTool } from './plan.js'
import type { Parameter } from './reading.js'

/** A loaded module: its exports by name. */
export type Exports = Readonly<Record<string, unknown>>
/** Instances of exported classes, by the names of the classes. */
export type Instances = Readonly<Record<string, Shared<unknown>>>

/** The tools of a plan, which call the functions of a module. */
export function modulePartsOf(plan: ModulePlan, exports: Exports, instances: Instances = {}): ToolPart[] {
  if (plan.form === 'catalogue') return catalogueOf(plan, exports, instances)
  return plan.tools.map((planned) => {
    const { name, about, title, tags, effect, examples, input, result } = planned
    return tool(name, {
      about,
      ...(title === undefined ? {} : { title }),
      ...(tags.length > 0 ? { tags } : {}),
      effect,
      examples: examples as readonly { input: object; output?: object }[],
      input,
      ...(result.form === 'nothing' ? { output: noOutput } : {}),
      ...(result.schema ? { output: result.schema } : {}),
      run: ((given: JsonObject, call: Call) =>
        callFunction(planned, exports, instances, given, call)) as () => never,
    })
  })
}

function catalogueOf(plan: ModulePlan, exports: Exports, instances: Instances): ToolPart[] {
  const entries = plan.tools.map((planned): CatalogueEntry => {
    const { name, title, about, effect, tags, examples } = planned
    return {
      ...{ name, title, about, effect, tags, examples },
      input: () => planned.input,
      output: () => planned.result.schema,
      run: (args, call) => callFunction(planned, exports, instances, args, call),
    }
  })
  return catalogueParts(entries, { title: plan.title, noun: 'function', prefix: plan.cataloguePrefix })
}

async function callFunction(
  planned: PlannedTool,
  exports: Exports,
  instances: Instances,
  given: JsonObject,
  call: Call,
): Promise<unknown> {
  const args = argumentsOf(planned, given, call)
  try {
    const { self, run } = await functionOf(planned, exports, instances, call)
    const returned = await Reflect.apply(run, self, args)
    return await resultOf(planned, returned, call)
  } catch (error) {
    // If the source documents its errors, their messages were written for callers.
    const isMeant = planned.showsErrors && error instanceof Error && !isRefusal(error) && !isJexoError(error)
    throw isMeant ? new Refusal(error.message, { cause: error }) : error
  }
}

type Run = (...args: unknown[]) => unknown

async function functionOf(
  { path, instanceOf, name }: PlannedTool,
  exports: Exports,
  instances: Instances,
  call: Call,
): Promise<{ self: unknown; run: Run }> {
  const shared = instanceOf === undefined ? undefined : instances[instanceOf]
  const owner = shared ? await call.use(shared) : valueAt(exports, path.slice(0, -1))
  const run = member(owner, path.at(-1) ?? '')
  if (typeof run !== 'function')
    throw new Error(`${path.join('.')} of ${name} is no longer a function; wrap it again`)
  return { self: owner === exports ? undefined : owner, run: run as Run }
}

/** The export at a path; undefined if there is none. */
export const valueAt = (exports: Exports, path: readonly string[]): unknown =>
  path.reduce((at, key) => member(at, key), exports as unknown)

const member = (owner: unknown, key: string): unknown => (owner as Record<string, unknown> | undefined)?.[key]

/** The parameters of the overload that matches the arguments. Throws a `Refusal` if none matches. */
function parametersFor({ name, parameters, forms }: PlannedTool, given: JsonObject): readonly Parameter[] {
  if (!forms) return parameters
  const names = Object.keys(given)
  const fitting = forms.find((form) => {
    const known = argumentNames(form.parameters)
    return names.every((one) => known.includes(one)) && form.required.every((one) => names.includes(one))
  })
  if (fitting) return fitting.parameters
  throw new Refusal(`${name}: these arguments do not go together. Pass ${formNames(forms)}.`)
}

/** Converts named properties back to positional arguments. */
function argumentsOf(planned: PlannedTool, given: JsonObject, call: Call): unknown[] {
  const { inputDefinitions } = planned
  const parameters = parametersFor(planned, given)
  const progress = (done: number, total?: number) => call.progress(done, total)
  const args = parameters.flatMap((parameter): unknown[] => {
    if (parameter.kind === 'signal') return [call.signal]
    if (parameter.kind === 'progress') return [progress]
    if (parameter.kind === 'absent') return [undefined]
    if (parameter.kind === 'object') {
      const entries = parameter.properties
        .filter(({ name }) => given[name] !== undefined)
        .map(({ name, conversion }) => [name, fromJson(given[name], conversion, inputDefinitions)])
      if (parameter.signal !== undefined) entries.push([parameter.signal, call.signal])
      if (parameter.progress !== undefined) entries.push([parameter.progress, progress])
      return [Object.fromEntries(entries)]
    }
    const value = fromJson(given[parameter.name], parameter.conversion, inputDefinitions)
    if (parameter.kind === 'rest') return (value as unknown[] | undefined) ?? []
    const filled = {
      ...(parameter.signal === undefined ? {} : { [parameter.signal]: call.signal }),
      ...(parameter.progress === undefined ? {} : { [parameter.progress]: progress }),
    }
    return [Object.keys(filled).length > 0 ? { ...(value as object | undefined), ...filled } : value]
  })
  return withoutMissing(args)
}

async function resultOf({ result }: PlannedTool, returned: unknown, call: Call): Promise<unknown> {
  const { form, conversion, definitions, isStream } = result
  if (form === 'nothing') return undefined
  const whole = isStream ? await gathered(returned as AsyncIterable<unknown>, call) : returned
  const json = toJson(whole, conversion, definitions)
  if (form === 'value') return json === undefined ? {} : { value: json }
  return form === 'any' && json === undefined ? null : json
}

/** Collects the items of a stream and reports each as progress. Stops if the call is cancelled. */
async function gathered(stream: AsyncIterable<unknown>, call: Call): Promise<unknown[]> {
  const items: unknown[] = []
  for await (const item of stream) {
    items.push(item)
    call.progress(items.length)
    if (call.signal.aborted) break
  }
  return items
}
