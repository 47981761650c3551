import {
  type FragmentDefinitionNode,
  type GraphQLSchema,
  Kind,
  type OperationDefinitionNode,
  parse,
  print,
  validate,
  visit,
} from 'graphql'
import type { Effect } from '../../kit/effects.js'
import { chooseOperations } from '../http-api/choose.js'
import type { PlannedOperation, RestPlan, SkippedOperation } from '../http-api/operation.js'
import { type CredentialGiven, ownCredential } from '../http-api/own-credential.js'
import { plainText } from '../http-api/plain-text.js'
import type { RestPlanOptions } from '../http-api/plan-options.js'
import { guessEffect, snakeCase } from '../naming/effect-words.js'
import { settingPrefixFrom, uniqueNames } from '../naming/names.js'
import { derivedOperation } from './derive.js'
import { type GraphReading, type OperationFile, reasonOf } from './read.js'
import { selectionSchema } from './selection.js'
import { firstLine, InputTypes } from './types.js'
import { takesUpload, variablesOf } from './variables.js'

/** A plan of a GraphQL API. */
export interface GraphPlan extends RestPlan {
  /** The schema, if tools for ad-hoc queries are planned. */
  readonly sdl?: string
  readonly allowsMutations?: boolean
}
export interface GraphPlanOptions extends RestPlanOptions {
  /** Name of the graph for descriptions. Default: from the host or the file. */
  readonly title?: string
  readonly credential?: CredentialGiven
  /** Adds two tools: one describes the schema, one runs a validated query. */
  readonly adHoc?: boolean
}

interface Written {
  readonly operationId: string
  readonly method: 'query' | 'mutation' | 'subscription'
  /** Name of the operation, which also selects the tool. */
  readonly path: string
  readonly node: OperationDefinitionNode
  readonly file: OperationFile
  readonly isDerived: boolean
}

/** The operations that become tools. Pure: the same schema, documents and options give the same plan. */
export function planSelections(reading: GraphReading, options: GraphPlanOptions = {}): GraphPlan {
  const { schema, url, unread } = reading
  const written = writtenOperations(reading)
  const prefix = options.prefix ?? ''
  const { names } = uniqueNames(written, ({ path }) => snakeCase(path) || 'operation')
  const all = written.map((operation) => {
    const name = prefix + (names.get(operation) ?? '')
    return { operation, name, effect: options.effects?.[name] ?? effectOf(operation) }
  })
  const reasons = chooseOperations(all, options)
  const title = options.title ?? titleOf(options.baseUrl ?? url)
  const settingPrefix = options.settingPrefix ?? settingPrefixFrom(title)
  const types = new InputTypes()
  const operations: PlannedOperation[] = []
  const skipped: SkippedOperation[] = [
    ...generalFields(reading),
    ...unread.map(({ where, reason }) => ({
      name: where,
      where,
      reason,
      fix: 'fix it there',
    })),
  ]
  for (const one of all) {
    const { operation, name } = one
    const where = `${operation.method} ${operation.path}`
    const reason = faultOf(schema, operation) ?? reasons.get(one)
    if (reason) skipped.push({ name, where, ...reason })
    else operations.push(plannedOperation(schema, one, types, options))
  }
  return {
    version: 1,
    kind: 'graphql',
    title,
    slug: settingPrefix.toLowerCase().replaceAll('_', '-'),
    base: { setting: `${settingPrefix}_URL`, url: options.baseUrl ?? url },
    credentials: options.credential ? [ownCredential(options.credential, settingPrefix)] : [],
    operations,
    skipped,
    warnings: reading.warnings,
    inputDefinitions: types.definitions,
    outputDefinitions: {},
    ...(prefix ? { cataloguePrefix: prefix } : {}),
    ...(options.adHoc ? { sdl: reading.sdl, allowsMutations: options.writes === true } : {}),
    form: (options.catalogue ?? operations.length > (options.mostTools ?? 40)) ? 'catalogue' : 'tools',
  }
}

/** True if no files with operations were given. Files that could not be read count: they were meant to be a selection. */
const isWithoutFiles = ({ documents, unread }: GraphReading) => documents.length === 0 && unread.length === 0

/** The operations of the given documents, or one operation for each root field if none were given. */
function writtenOperations(reading: GraphReading): Written[] {
  const isDerived = isWithoutFiles(reading)
  const files = isDerived ? derivedFiles(reading.schema) : reading.documents
  return files.flatMap((file) =>
    file.document.definitions.flatMap((node): Written[] => {
      if (node.kind !== Kind.OPERATION_DEFINITION) return []
      const [first] = node.selectionSet.selections
      const path = node.name?.value ?? (first?.kind === Kind.FIELD ? first.name.value : 'operation')
      return [{ operationId: path, method: node.operation, path, node, file, isDerived }]
    }),
  )
}

/** Root fields that return any object by id, or serve other servers. */
const isGeneral = (name: string) => /^(node|nodes|_service|_entities)$/.test(name)

/** Root fields for which no operation is derived. */
const generalFields = (reading: GraphReading): SkippedOperation[] =>
  (isWithoutFiles(reading) ? Object.keys(reading.schema.getQueryType()?.getFields() ?? {}) : [])
    .filter(isGeneral)
    .map((name) => ({
      name,
      where: `query ${name}`,
      reason: 'it returns objects of any type, so nothing can be selected without an operation',
      fix: 'write an operation for it and pass its file in operations (--operations)',
    }))

function derivedFiles(schema: GraphQLSchema): OperationFile[] {
  const of = (kind: 'query' | 'mutation') =>
    Object.values((kind === 'query' ? schema.getQueryType() : schema.getMutationType())?.getFields() ?? {})
      .filter(({ name }) => !isGeneral(name))
      .map((field): OperationFile => {
        const text = derivedOperation(kind, field, schema)
        return { name: field.name, text, document: parse(text) }
      })
  return [...of('query'), ...of('mutation')]
}

/** Queries read. The effect of a mutation is inferred from its name; the default is a change. */
function effectOf({ method, path }: Written): Effect {
  if (method === 'query') return 'read'
  const guess = guessEffect(path)
  return guess === 'read' ? 'change' : guess
}

function faultOf(
  schema: GraphQLSchema,
  { method, node, file }: Written,
): { reason: string; fix?: string } | undefined {
  if (method === 'subscription')
    return { reason: 'subscriptions never end, but a call must end', fix: 'write a query' }
  if (takesUpload(schema, node))
    return {
      reason: 'it uploads a file, which is not supported',
      fix: 'upload the file through another API of the service',
    }
  const fragments = file.document.definitions.filter(({ kind }) => kind === Kind.FRAGMENT_DEFINITION)
  const document = { kind: Kind.DOCUMENT, definitions: [node, ...fragments] } as const
  const [fault] = validate(schema, document).filter(({ message }) => !/^Fragment ".*" is never used/.test(message))
  return fault && { reason: reasonOf(fault), fix: `fix it in ${file.name}` }
}

function plannedOperation(
  schema: GraphQLSchema,
  { operation, name, effect }: { operation: Written; name: string; effect: Effect },
  types: InputTypes,
  options: GraphPlanOptions,
): PlannedOperation {
  const { method, node, path } = operation
  const document = { kind: Kind.DOCUMENT, definitions: [node, ...fragmentsFor(operation)] } as const
  const root = schema.getRootType(node.operation)
  const output = root ? selectionSchema(schema, document, root, node.selectionSet) : { type: 'object' }
  const { input, properties } = variablesOf(schema, node, types)
  const { about, isDescribed } = aboutOf(schema, operation)
  return {
    name,
    about,
    isDescribed,
    effect,
    tags: options.tags ?? [],
    method: 'POST',
    path: '',
    operationId: `${method} ${path}`,
    input,
    parameters: [],
    body: {
      mediaType: 'application/json',
      form: 'json',
      fixed: { query: print(document), ...(node.name ? { operationName: node.name.value } : {}) },
      properties,
    },
    response: {
      form: 'object',
      schema: output,
      accept: 'application/graphql-response+json, application/json',
    },
    credentials: options.credential ? ['own'] : [],
    examples: [],
  }
}

/** Fragments that an operation uses, directly or indirectly. */
function fragmentsFor({ node, file }: Written): FragmentDefinitionNode[] {
  const byName = new Map(
    file.document.definitions.flatMap((definition) =>
      definition.kind === Kind.FRAGMENT_DEFINITION ? [[definition.name.value, definition] as const] : [],
    ),
  )
  const used = new Map<string, FragmentDefinitionNode>()
  const follow = (from: OperationDefinitionNode | FragmentDefinitionNode): void => {
    visit(from, {
      FragmentSpread: ({ name }) => {
        const found = byName.get(name.value)
        if (!found || used.has(name.value)) return
        used.set(name.value, found)
        follow(found)
      },
    })
  }
  follow(node)
  return [...used.values()]
}

/** The comment before the operation or the schema's descriptions of its root fields, and the result type. */
function aboutOf(
  schema: GraphQLSchema,
  { node, file, isDerived, method }: Written,
): { about: string; isDescribed: boolean } {
  const root = schema.getRootType(node.operation)
  const fields = node.selectionSet.selections.flatMap((selection) =>
    selection.kind === Kind.FIELD ? [selection] : [],
  )
  const words = fields.flatMap(({ name }) => root?.getFields()[name.value]?.description ?? []).map(firstLine)
  const gives = [
    ...new Set(
      fields.flatMap(
        ({ selectionSet, name }) =>
          selectionSet?.selections.flatMap((inner) => (inner.kind === Kind.FIELD ? inner.name.value : [])) ??
          name.value,
      ),
    ),
  ]
  const comment = isDerived ? '' : commentBefore(file.text, node.loc?.start ?? 0)
  const said = comment || words.join(' ')
  const given = `Returns ${gives.slice(0, 12).join(', ')}${gives.length > 12 ? ' and more' : ''}.`
  const first =
    said || `${method === 'query' ? 'Queries' : 'Executes'} ${fields.map(({ name }) => name.value).join(' and ')}.`
  return {
    about: plainText(`${/[.!?]$/.test(first) ? first : `${first}.`} ${comment ? '' : given}`, 900),
    isDescribed: said !== '',
  }
}

function commentBefore(text: string, at: number): string {
  const lines = text.slice(0, at).split('\n').slice(0, -1)
  const comment: string[] = []
  for (let row = lines.length - 1; row >= 0 && /^\s*#/.test(lines[row] ?? ''); row--)
    comment.unshift((lines[row] ?? '').replace(/^\s*#\s?/, ''))
  return comment.join(' ').trim()
}

const titleOf = (url: string | undefined): string =>
  url === undefined ? 'graph' : (new URL(url).hostname.replace(/^(api|www)\./, '').split('.')[0] ?? 'graph')
