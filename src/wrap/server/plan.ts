import { chosenFrom, matcherOf } from '../../kit/choose.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import type {
  PromptDefinition,
  ResourceDefinition,
  TemplateDefinition,
  ToolDefinition,
} from '../../protocol/types.js'
import { parseUriTemplate } from '../../protocol/uri-template.js'
import type { ServerReading } from './reading.js'

/** Which parts of a server to include, and their names. */
export interface ServerPlanOptions {
  /** Names of tools and prompts, URIs of resources and templates; `*` matches any characters. Default: all. */
  readonly only?: readonly string[]
  readonly except?: readonly string[]
  /** Prefix of the names of tools and prompts, so that several servers do not collide. */
  readonly prefix?: string
  /** New names by the server's names: `{ getHive: 'find_hive' }`. */
  readonly rename?: Readonly<Record<string, string>>
  /** Prefix of the scheme of every URI: with `north`, `apiary://hives` becomes `north+apiary://hives`. */
  readonly uriPrefix?: string
  readonly tags?: readonly string[]
}

/** After the lists have changed, a name that matches nothing is not an error. */
export interface Replanning {
  readonly isLenient?: boolean
}

/** A part of the server under its new name. */
export interface Planned<Definition> {
  /** The name on the server. */
  readonly name: string
  readonly as: string
  readonly definition: Definition
}

export interface SkippedPart {
  readonly kind: 'tool' | 'resource' | 'template' | 'prompt'
  readonly name: string
  readonly reason: string
}

/** The parts of a server, as plain JSON. */
export interface ServerPlan {
  readonly version: 1
  readonly kind: 'server'
  readonly server: { readonly name: string; readonly version: string; readonly title?: string }
  readonly instructions?: string
  readonly completes: boolean
  readonly tools: readonly Planned<ToolDefinition>[]
  readonly resources: readonly ResourceDefinition[]
  readonly templates: readonly TemplateDefinition[]
  readonly prompts: readonly Planned<PromptDefinition>[]
  readonly skipped: readonly SkippedPart[]
  readonly tags: readonly string[]
}

/** A server may send any text; these limits are far above what a model can read. */
const mostOfAKind = 10_000
const longestText = 100_000
const longestDefinition = 1_000_000
const mostSkipped = 1000

/** Plans the parts of a server. Pure: the same reading and options give the same plan. */
export function planServerParts(reading: ServerReading, options: ServerPlanOptions & Replanning = {}): ServerPlan {
  const { tags = [] } = options
  const skipped: SkippedPart[] = []
  const skip = (kind: SkippedPart['kind'], name: unknown, reason: string): false => {
    if (skipped.length < mostSkipped) skipped.push({ kind, name: String(name).slice(0, 200), reason })
    return false
  }
  const chosen = chosenKeys(reading, options)
  const usable = <D>(
    kind: SkippedPart['kind'],
    given: readonly D[],
    keyOf: (one: D) => unknown,
    fault: (one: D) => string | undefined,
  ) => {
    const seen = new Set<unknown>()
    return given.slice(0, mostOfAKind).filter((one) => {
      const key = isObject(one) ? keyOf(one) : undefined
      if (typeof key !== 'string' || key === '') return skip(kind, key, 'it has no name')
      if (!chosen.has(`${kind} ${key}`)) return false
      const isLong = JSON.stringify(one).length > longestDefinition
      const reason = seen.has(key)
        ? 'the server lists it twice'
        : isLong
          ? 'its definition is too long'
          : (formFault(one as unknown as JsonObject) ?? fault(one))
      seen.add(key)
      return reason === undefined ? true : skip(kind, key, reason)
    })
  }
  const taken = new Set<string>()
  const named = <D extends { name: string }>(kind: 'tool' | 'prompt', given: readonly D[]): Planned<D>[] =>
    given
      .map((definition) => {
        const { name } = definition
        return { name, as: `${options.prefix ?? ''}${options.rename?.[name] ?? legalName(name)}`, definition }
      })
      .filter(({ name, as }) => {
        if (as.length > 128) return skip(kind, name, 'its name is longer than 128 characters; rename it')
        if (taken.has(`${kind} ${as}`))
          return skip(kind, name, `another ${kind} is called ${as} already; rename one of them`)
        return taken.add(`${kind} ${as}`)
      })
  const { server } = reading
  return {
    version: 1,
    kind: 'server',
    server: {
      name: oneLine(server.name, 'server'),
      version: oneLine(server.version, '0.0.0'),
      ...(server.title === undefined ? {} : { title: oneLine(server.title, 'server') }),
    },
    ...(reading.instructions === undefined ? {} : { instructions: reading.instructions.slice(0, longestText) }),
    completes: reading.completes,
    tools: named(
      'tool',
      usable('tool', reading.tools, ({ name }) => name, toolFault),
    ),
    resources: usable(
      'resource',
      reading.resources,
      ({ uri }) => uri,
      ({ uri }) => (URL.canParse(uri) ? undefined : 'its URI is not valid'),
    ),
    templates: usable('template', reading.templates, ({ uriTemplate }) => uriTemplate, templateFault),
    prompts: named(
      'prompt',
      usable('prompt', reading.prompts, ({ name }) => name, promptFault),
    ),
    skipped,
    tags,
  }
}

/** Keys of the chosen parts, prefixed with their kind. Throws a `JexoError` if a name matches nothing. */
function chosenKeys(
  reading: ServerReading,
  { only, except, isLenient = false }: ServerPlanOptions & Replanning,
): Set<string> {
  const all = [
    ...reading.tools.map(({ name }) => ({ kind: 'tool', key: name })),
    ...reading.resources.map(({ uri }) => ({ kind: 'resource', key: uri })),
    ...reading.templates.map(({ uriTemplate }) => ({ kind: 'template', key: uriTemplate })),
    ...reading.prompts.map(({ name }) => ({ kind: 'prompt', key: name })),
  ].filter(({ key }) => typeof key === 'string')
  const view = ({ key }: { key: string }) => ({ key })
  const choose = (names: readonly string[]) => {
    if (!isLenient) return chosenFrom(all, view, names)
    const matchers = names.map(matcherOf)
    return new Set(all.filter((one) => matchers.some((matches) => matches(view(one)))))
  }
  const taken = only === undefined || only.length === 0 ? new Set(all) : choose(only)
  const left = choose(except ?? [])
  return new Set(all.filter((one) => taken.has(one) && !left.has(one)).map(({ kind, key }) => `${kind} ${key}`))
}

/** Names that hosts accept; other characters become underscores. */
const legalName = (name: string): string => name.replace(/[^A-Za-z0-9_.-]+/g, '_')

/** Fields that every kind has, limited to what hosts can read. */
function formFault(definition: JsonObject): string | undefined {
  const { title, description, icons, annotations, execution, _meta, mimeType, ...rest } = definition
  const isText = (value: unknown) => value === undefined || typeof value === 'string'
  if (![title, description, mimeType, rest.name].every(isText))
    return 'its title, description or type is not a text'
  if (![annotations, execution, _meta].every((value) => value === undefined || isObject(value)))
    return 'its annotations are not an object'
  return icons === undefined || Array.isArray(icons) ? undefined : 'its icons are not a list'
}

function toolFault({ inputSchema, outputSchema }: ToolDefinition): string | undefined {
  if (!isObject(inputSchema) || inputSchema.type !== 'object') return 'its input schema is not that of an object'
  return outputSchema !== undefined && !isObject(outputSchema) ? 'its output schema is not an object' : undefined
}

function templateFault({ uriTemplate }: TemplateDefinition): string | undefined {
  try {
    return parseUriTemplate(uriTemplate).variables.length === 0 ? 'it has no variable' : undefined
  } catch {
    return 'its URI template cannot be read'
  }
}

const promptFault = ({ arguments: given = [] }: PromptDefinition): string | undefined =>
  Array.isArray(given) && given.every((one) => isObject(one) && typeof one.name === 'string')
    ? undefined
    : 'its arguments cannot be read'

function oneLine(text: unknown, otherwise: string): string {
  const line =
    typeof text === 'string'
      ? text
          .replace(/[\p{Cc}\u2028\u2029]+/gu, ' ')
          .trim()
          .slice(0, 128)
      : ''
  return line === '' ? otherwise : line
}
