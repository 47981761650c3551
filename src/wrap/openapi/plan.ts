import type { JsonSchema } from '../../kit/schema.js'
import { type Choosable, chooseOperations, chosenOperations, effectOfMethod } from '../http-api/choose.js'
import type { PlannedOperation, RestPlan, SkippedOperation } from '../http-api/operation.js'
import { type CredentialGiven, ownCredential } from '../http-api/own-credential.js'
import { plainText } from '../http-api/plain-text.js'
import type { RestPlanOptions } from '../http-api/plan-options.js'
import { operationName, settingPrefixFrom, titleWords, uniqueNames } from '../naming/names.js'
import { exampleOf } from '../schema/example.js'
import { aboutOf } from './describe.js'
import { inputsOf } from './inputs.js'
import type { ReadDescription, ReadOperation } from './reading.js'
import { pagingOf, responseOf } from './responses.js'
import { SchemaReader } from './schemas.js'
import { type Needed, SecurityReader } from './security.js'

export interface OpenApiPlanOptions extends RestPlanOptions {
  /**
   * Additional targets of references in the description: folders (absolute paths or `file:` URLs) and origins. Files in its folder and URLs of its origin are always allowed.
   */
  readonly allowReferences?: readonly string[]
  /** Names of tools: from operation ids, or from method and path. */
  readonly toolName?: (operation: { operationId?: string; method: string; path: string }) => string
  /** `GET` operations without query arguments that become resource templates instead of tools; chosen as in `only`. */
  readonly templates?: readonly string[]
  /** Credential for every operation, if the description does not declare one. */
  readonly credential?: CredentialGiven
  /** Does not add arguments for collecting items from several pages. */
  readonly paging?: boolean
}
type Named = Choosable<ReadOperation>

/**
 * Determines which operations become parts, and why others do not. Pure: the same description and options give the same
 * plan.
 */
export function planOperations(
  reading: ReadDescription,
  options: OpenApiPlanOptions = {},
  allowsPaths = false,
): RestPlan {
  const { title, servers, documents, malformed } = reading
  const settingPrefix = options.settingPrefix ?? settingPrefixFrom(titleWords(title).join('_'))
  const slug = settingPrefix.toLowerCase().replace(/[^a-z0-9]+/g, '-')
  const { all, repeated } = namedOperations(reading, options)
  const security = new SecurityReader(reading, settingPrefix)
  const skipped: SkippedOperation[] = malformed.map(({ where, reason }) => ({
    name: where,
    where,
    reason,
    fix: 'fix the description',
  }))
  const taken: { named: Named; needs: Extract<Needed, { credentials: readonly string[] }> }[] = []
  const chosen = chooseOperations(all, options)
  for (const named of all) {
    const needs = options.credential ? { credentials: ['own'], isOptional: false } : security.needs(named.operation)
    const reason =
      chosen.get(named) ??
      ('reason' in needs ? { reason: needs.reason, fix: 'set a credential of another kind in code' } : undefined)
    const { method, path } = named.operation
    if (reason || 'reason' in needs)
      skipped.push({ name: named.name, where: `${method} ${path}`, ...(reason ?? { reason: '' }) })
    else taken.push({ named, needs })
  }
  const inputs = new SchemaReader(documents, 'in', reading.version !== '3.1')
  const outputs = new SchemaReader(documents, 'out', reading.version !== '3.1')
  const templates = chosenOperations(all, options.templates)
  const operations = taken.map(({ named, needs }) =>
    planned(
      named,
      needs.credentials,
      inputs,
      outputs,
      options,
      allowsPaths,
      templates.has(named) ? slug : undefined,
      servers[0],
    ),
  )
  const credentials = options.credential
    ? [ownCredential(options.credential, settingPrefix)]
    : security.credentials(taken.map(({ named, needs }) => ({ operation: named.operation, needs })))
  const warnings = [
    ...documents.warnings,
    ...inputs.warnings,
    ...outputs.warnings,
    ...taken.flatMap(({ named }) => named.operation.warnings.map((warning) => `${named.name}: ${warning}`)),
    ...repeated.map(
      ({ operationId, method, path }) =>
        `the operation id ${operationId} is used more than once; ${method} ${path} is named by its path`,
    ),
  ]
  const isMany = operations.filter(({ asTemplate }) => asTemplate === undefined).length > (options.mostTools ?? 40)
  return {
    version: 1,
    kind: 'openapi',
    title,
    slug,
    base: {
      setting: `${settingPrefix}_URL`,
      url: options.baseUrl ?? servers[0],
      ...(options.baseUrl === undefined || servers[0] === undefined ? {} : { described: servers[0] }),
      ...(servers[0] === undefined && reading.basePath ? { path: reading.basePath } : {}),
    },
    credentials,
    operations,
    skipped,
    warnings: [...new Set(warnings)],
    inputDefinitions: inputs.definitions,
    outputDefinitions: outputs.definitions,
    ...(options.prefix ? { cataloguePrefix: options.prefix } : {}),
    form: (options.catalogue ?? isMany) ? 'catalogue' : 'tools',
  }
}

function namedOperations(
  { operations }: ReadDescription,
  options: OpenApiPlanOptions,
): { all: Named[]; repeated: readonly ReadOperation[] } {
  const { prefix = '', toolName = operationName, effects = {} } = options
  const { names, repeated } = uniqueNames(operations, toolName)
  const all = operations.map((operation) => {
    const name = prefix + (names.get(operation) ?? '')
    return { operation, name, effect: effects[name] ?? effectOfMethod[operation.method] ?? 'change' }
  })
  return { all, repeated: repeated.filter(({ operationId }) => operationId !== undefined) }
}

function planned(
  { operation, name, effect }: Named,
  credentials: readonly string[],
  inputs: SchemaReader,
  outputs: SchemaReader,
  options: OpenApiPlanOptions,
  allowsPaths: boolean,
  scheme: string | undefined,
  described: string | undefined,
): PlannedOperation {
  const { method, path, operationId, summary, servers, tags, isDeprecated } = operation
  const { input, parameters, body } = inputsOf(operation, inputs, allowsPaths)
  const response = responseOf(operation, outputs)
  const byName = Object.fromEntries(
    parameters.flatMap((parameter) =>
      parameter.in === 'query' && parameter.argument ? [[parameter.name, parameter.argument]] : [],
    ),
  )
  const pages = options.paging === false ? undefined : pagingOf(operation, byName, response, outputs)
  const properties = (input.properties ?? {}) as Record<string, JsonSchema>
  const gather = 'gather' in properties ? 'gather_items' : 'gather'
  const { about, isDescribed } = aboutOf(operation, Object.keys(properties))
  const title = plainText(summary, 80).replace(/\.$/, '')
  const base = servers[0] === described ? undefined : servers[0]
  return {
    name,
    ...(title !== '' && !title.endsWith('…') ? { title } : {}),
    about,
    isDescribed,
    effect,
    tags: [...new Set([...(options.tags ?? []), ...tags, ...(isDeprecated ? ['deprecated'] : [])])],
    method,
    // Some descriptions distinguish operations on one path by a fragment, which is never sent.
    path: path.replace(/#.*$/s, ''),
    ...(base === undefined ? {} : { base }),
    ...(operationId === undefined ? {} : { operationId }),
    input: pages ? { ...input, properties: { ...properties, [gather]: gatherSchema } } : input,
    parameters,
    ...(body ? { body } : {}),
    response,
    credentials,
    ...(pages ? { paging: { argument: gather, ...pages } } : {}),
    examples: examplesOf(input),
    ...(scheme !== undefined && isReadable(operation) ? { asTemplate: uriTemplate(scheme, operation) } : {}),
  }
}

const gatherSchema: JsonSchema = {
  type: 'integer',
  minimum: 1,
  maximum: 1000,
  description: 'Collect up to this many items from several pages; default: one page',
}

/** True if the path contains all arguments, so that a URI is sufficient. */
const isReadable = ({ method, parameters, path }: ReadOperation) =>
  method === 'GET' &&
  path.includes('{') &&
  parameters.every(({ in: place, isRequired }) => place === 'path' || !isRequired)

/** Variables of a URI template are restricted to word characters, so other names are replaced. */
const uriTemplate = (scheme: string, { path }: ReadOperation) =>
  `${scheme}:/${path.replace(/\{([^{}]+)\}/g, (_all, name: string) => `{${name.replace(/[^A-Za-z0-9_]+/g, '_')}}`)}`
    .replace(/^([^:]+):\//, '$1://')
    .replace(':///', '://')

/** An example, if the description has values for all required arguments. */
function examplesOf(input: JsonSchema): PlannedOperation['examples'] {
  const properties = (input.properties ?? {}) as Record<string, JsonSchema>
  const required = (input.required ?? []) as readonly string[]
  const isShown = required.length > 0 && required.every((name) => Array.isArray(properties[name]?.examples))
  return isShown ? [{ input: exampleOf(input) }] : []
}
