import { isObject } from '../protocol/messages.js'
import { branded, brands } from './brand.js'
import type { Call } from './call.js'
import { type Effect, effects } from './effects.js'
import { kitErrors } from './errors.js'
import { checkKeys, extraKeys } from './option-keys.js'
import {
  type Confirm,
  checkAbout,
  checkFunction,
  checkName,
  type Durable,
  type Example,
  extrasOf,
  isPart,
  labelOf,
  type PartExtras,
  type ToolPart,
  type ViewPart,
} from './part.js'
import { questionSchema } from './question.js'
import {
  type Given,
  isNoOutput,
  type JsonSchema,
  jsonSchemaOf,
  type NoOutput,
  type Returned,
  type Schema,
} from './schema.js'
import type { Settings } from './settings.js'
import type { ArgumentsOf, KeysOf, ObjectSchema, ResultOf } from './typing.js'
import { isView } from './view.js'

export interface ToolOptions<
  In extends Schema | undefined,
  Out extends Schema | NoOutput | undefined,
  S extends Settings = Settings,
> extends PartExtras<S> {
  /** Description for the model, which selects tools by it. */
  about: string
  /** Schema of the arguments; without one, the tool has no arguments. */
  input?: In & ObjectSchema<In>
  /** Schema of the structured result, or `noOutput` if the tool returns nothing. */
  output?: Out & (Out extends NoOutput ? unknown : ObjectSchema<Out>)
  /** Effect of the tool; sent as the standard's annotations. */
  effect: Effect
  examples?: readonly Example<ArgumentsOf<In>, Returned<Out>>[]
  /** A question for the user before the tool runs. With `ifPossible`, it runs without asking if the host cannot ask. */
  confirm?: ((input: Given<In>) => string) | { say(input: Given<In>): string; ifPossible?: boolean }
  /** Required arguments that a form asks for if they are missing. */
  askFor?: readonly KeysOf<ArgumentsOf<In>>[]
  /**
   * For long work: callers may (`optional`) or must (`required`) run it as a task, and fetch the result later. Callers
   * of older revisions wait for the result as with any other tool.
   */
  task?: 'optional' | 'required'
  /**
   * A task of this tool continues when its process ends, if the server has a store in Redis: another process restarts
   * it with the same input, identity and last checkpoint (`call.checkpoint`). Work after the last checkpoint may be
   * done twice. Requires `task: 'required'`.
   */
  durable?: Durable
  /**
   * View that shows the result in hosts that show views; it can also call this tool. Other hosts show the result as
   * usual.
   */
  view?: ViewPart
  /**
   * `too`: views of this server may call the tool as well as the model. `only`: only views can call the tool, and the
   * model does not see it.
   */
  forPages?: 'too' | 'only'
  run(input: Given<In>, call: Call<S>): Returned<Out> | Promise<Returned<Out>>
}

/**
 * Defines a tool: a name, a description, schemas and a plain function (Tools, "Tool").
 * Throws a `JexoError` if the name, the description or a schema cannot be published.
 *
 * @example
 * tool('weigh_hive', {
 *   about: 'Latest reading of the scale under one hive, in kilograms.',
 *   input: z.object({ hive: z.string() }),
 *   effect: 'read',
 *   run: async ({ hive }, call) => (await call.use(scales)).latest(hive),
 * })
 */
export function tool<
  const Name extends string,
  const In extends Schema | undefined = undefined,
  const Out extends Schema | NoOutput | undefined = undefined,
  const S extends Settings = Settings,
>(name: Name, options: ToolOptions<In, Out, S>): ToolPart<Name, ArgumentsOf<In>, ResultOf<Out>> {
  checkName('tool', name)
  const label = labelOf('tool', name)
  checkKeys(label, options, toolKeys)
  checkAbout(label, options.about)
  checkFunction(label, 'run', options.run)
  if (!effects.includes(options.effect)) {
    throw kitErrors.partField(label, 'effect', `one of ${effects.join(', ')}`)
  }
  const output = options.output as Schema | NoOutput | undefined
  const inputSchema = jsonSchemaOf(label, 'input', options.input)
  const part: ToolPart<Name, ArgumentsOf<In>, ResultOf<Out>> = {
    kind: 'tool',
    name,
    about: options.about,
    ...extrasOf(label, options),
    input: options.input,
    output,
    inputSchema,
    outputSchema: output === undefined || isNoOutput(output) ? undefined : jsonSchemaOf(label, 'output', output),
    effect: options.effect,
    examples: Object.freeze([...((options.examples ?? []) as readonly Example[])]),
    confirm: confirmOf(label, options.confirm as Confirming),
    askFor: askForOf(label, inputSchema, options.askFor),
    task: taskOf(label, options.task),
    durable: durableOf(label, options.task, options.durable),
    view: viewOf(label, options.view),
    forPages: forPagesOf(label, options.forPages),
    run: options.run as ToolPart['run'],
  }
  return branded(part, brands.part)
}

const toolKeys = [
  ...[
    'about',
    'input',
    'output',
    'effect',
    'examples',
    'confirm',
    'askFor',
    'task',
    'durable',
    'view',
    'forPages',
    'run',
  ],
  ...extraKeys,
]

type Confirming = ((input: unknown) => string) | { say(input: unknown): string; ifPossible?: boolean } | undefined

function confirmOf(label: string, given: Confirming): Confirm | undefined {
  if (given === undefined) return undefined
  if (typeof given === 'function') return { say: given, ifPossible: false }
  checkFunction(label, 'confirm.say', given.say)
  return { say: (input) => given.say(input), ifPossible: given.ifPossible === true }
}

function viewOf(label: string, given: unknown): ViewPart | undefined {
  if (given === undefined) return undefined
  if (isPart(given) && isView(given)) return given
  throw kitErrors.partField(label, 'view', "a view, as in view('ui://apiary/hive-card', { … })")
}

function forPagesOf(label: string, given: unknown): ToolPart['forPages'] {
  if (given === undefined || given === 'too' || given === 'only') return given
  throw kitErrors.partField(label, 'forPages', 'too or only')
}

function taskOf(label: string, task: unknown): ToolPart['task'] {
  if (task === undefined || task === 'optional' || task === 'required') return task
  throw kitErrors.partField(label, 'task', 'optional or required')
}

function durableOf(label: string, task: unknown, given: Durable | undefined): ToolPart['durable'] {
  if (given === undefined) return undefined
  if (task !== 'required') throw kitErrors.partField(label, 'durable', "a tool with task: 'required'")
  const { attempts = 3, backoff = {} } = given
  const { firstMs = 1000, grows = true } = backoff
  checkKeys(label, given, ['attempts', 'backoff'])
  if (!(Number.isInteger(attempts) && attempts >= 1 && attempts <= 1000))
    throw kitErrors.partField(label, 'durable.attempts', 'a whole number from 1 to 1000')
  if (!(firstMs >= 0 && firstMs <= 86_400_000))
    throw kitErrors.partField(label, 'durable.backoff.firstMs', 'a number of milliseconds, at most one day')
  return { attempts, backoff: { firstMs, grows: grows === true } }
}

/** Checks that a form can represent the arguments to ask for. */
function askForOf(label: string, schema: JsonSchema, names: readonly string[] = []): readonly string[] {
  const properties = isObject(schema.properties) ? schema.properties : {}
  for (const name of names) {
    if (properties[name] === undefined)
      throw kitErrors.partField(label, `askFor: ${name}`, 'the name of one of its arguments')
    questionSchema({ type: 'object', properties: { [name]: properties[name] } }, label)
  }
  return Object.freeze([...names])
}
