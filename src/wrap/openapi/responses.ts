import type { JsonSchema } from '../../kit/schema.js'
import { isObject } from '../../protocol/messages.js'
import type { PlannedResponse } from '../http-api/operation.js'
import type { Paging } from '../http-api/paging.js'
import { plainText } from '../http-api/plain-text.js'
import type { ReadOperation, ReadResponse } from './reading.js'
import type { SchemaReader } from './schemas.js'

const isJson = (mediaType: string) => /[/+]json\b/.test(mediaType)

/** The response: a schema if all successful responses are JSON with the same schema, otherwise any content. */
export function responseOf(operation: ReadOperation, schemas: SchemaReader): PlannedResponse {
  const statuses = Object.fromEntries(
    operation.responses.map(({ status, description }) => [status, plainText(description, 120)]),
  )
  const response = successOf(operation, schemas)
  return Object.keys(statuses).length > 0 ? { ...response, statuses } : response
}

function successOf({ method, responses }: ReadOperation, schemas: SchemaReader): PlannedResponse {
  const good = goodOnes(responses)
  const accept = acceptOf(good)
  const about = good[0]?.description
  const any = { form: 'any', accept, ...(about ? { about } : {}) } as const
  if (method === 'HEAD' || good.length === 0) return any
  const json = good.map(({ contents }) => contents.find(({ mediaType }) => isJson(mediaType)))
  const isAlwaysJson = good.every(
    ({ contents }) => contents.length > 0 && contents.every(({ mediaType }) => isJson(mediaType)),
  )
  const read = json.flatMap((content) =>
    content?.schema === undefined ? [] : [schemas.read(content.schema, content.url)],
  )
  if (!isAlwaysJson || read.length < good.length) return any
  const distinct = [...new Map(read.map((schema) => [JSON.stringify(schema), schema])).values()]
  const [first] = distinct
  if (!first || distinct.length > 3) return any
  const schema = distinct.length === 1 ? first : { anyOf: distinct }
  const isObjects = distinct.every((one) => isObjectSchema(one, schemas))
  const said = about ? { about } : {}
  if (isObjects) return { form: 'object', schema: { type: 'object', ...schema }, accept, ...said }
  return {
    form: 'value',
    schema: { type: 'object', properties: { value: schema }, required: ['value'] },
    accept,
    ...said,
  }
}

function isObjectSchema(given: JsonSchema, schemas: SchemaReader, depth = 0): boolean {
  const schema = schemas.unfolded(given)
  if (schema.type !== undefined) return schema.type === 'object'
  if (isObject(schema.properties)) return true
  const branches = [schema.allOf, schema.anyOf, schema.oneOf].find(Array.isArray) as JsonSchema[] | undefined
  if (!branches || depth > 5) return false
  const isOne = (branch: JsonSchema) => isObjectSchema(branch, schemas, depth + 1)
  return schema.allOf ? branches.some(isOne) : branches.every(isOne)
}

/** Successful responses; `default` counts if there is no other. */
function goodOnes(responses: readonly ReadResponse[]): ReadResponse[] {
  const successes = responses
    .filter(({ status }) => /^2(\d\d|xx)$/i.test(status))
    .sort((a, b) => (a.status < b.status ? -1 : 1))
  return successes.length > 0 ? successes : responses.filter(({ status }) => status === 'default')
}

function acceptOf(good: readonly ReadResponse[]): string {
  const named = [...new Set(good.flatMap(({ contents }) => contents.map(({ mediaType }) => mediaType)))]
  const first = named.filter(isJson).slice(0, 1)
  const wanted = first.length > 0 ? first : named.slice(0, 3)
  return wanted.length === 0 || wanted.includes('*/*')
    ? 'application/json, */*;q=0.5'
    : [...wanted, '*/*;q=0.5'].join(', ')
}

const cursorParameter =
  /^(cursor|after|page_?token|next_?token|next_?cursor|continuation(_?token)?|starting_?after|start_?cursor|marker)$/i
const pageParameter = /^(page|page_?(number|no|index|num))$/i
const offsetParameter = /^(offset|skip|start|start_?(at|index))$/i
const cursorProperty =
  /^(next(_?(cursor|page_?token|token|marker))?|cursor|end_?cursor|continuation_?token|page_?token)$/i
const itemsProperty = /^(items|data|results?|values|records|entries|elements|rows|hits|list|nodes)$/i

/** How a `GET` paginates its list, as far as its parameters and its response show. */
export function pagingOf(
  operation: ReadOperation,
  argumentNames: Readonly<Record<string, string>>,
  response: PlannedResponse,
  schemas: SchemaReader,
): Omit<Paging, 'argument'> | undefined {
  if (operation.method !== 'GET' || !response.schema) return undefined
  const whole =
    response.form === 'value' ? (response.schema.properties as Record<string, JsonSchema>).value : response.schema
  const shape = schemas.unfolded(whole ?? {})
  const itemsAt = itemsIn(shape, schemas)
  if (!itemsAt) return undefined
  const parameter = (pattern: RegExp) =>
    operation.parameters.find(
      ({ in: place, name }) => place === 'query' && pattern.test(name.replace(/^page\[(\w+)\]$/, '$1')),
    )?.name
  // If a header contains the next page, nothing must be inferred.
  if (operation.responses.some(({ hasLinkHeader }) => hasLinkHeader)) return { by: 'link', itemsAt }
  const cursor = parameter(cursorParameter)
  const cursorAt = cursor === undefined ? undefined : cursorIn(shape, schemas)
  if (cursor !== undefined && cursorAt)
    return { by: 'cursor', next: argumentNames[cursor] ?? cursor, cursorAt, itemsAt }
  const page = parameter(pageParameter)
  if (page !== undefined) return { by: 'page', next: argumentNames[page] ?? page, itemsAt }
  const offset = parameter(offsetParameter)
  return offset === undefined ? undefined : { by: 'offset', next: argumentNames[offset] ?? offset, itemsAt }
}

const propertiesOf = (shape: JsonSchema): [string, JsonSchema][] =>
  Object.entries((isObject(shape.properties) ? shape.properties : {}) as Record<string, JsonSchema>)

/** The response itself, or the only list in it. */
function itemsIn(shape: JsonSchema, schemas: SchemaReader): string[] | undefined {
  if (shape.type === 'array') return []
  const lists = propertiesOf(shape).filter(([, property]) =>
    [schemas.unfolded(property).type].flat().includes('array'),
  )
  const named = lists.find(([name]) => itemsProperty.test(name)) ?? (lists.length === 1 ? lists[0] : undefined)
  return named && [named[0]]
}

function cursorIn(shape: JsonSchema, schemas: SchemaReader, depth = 0): string[] | undefined {
  const properties = propertiesOf(shape).map(([name, property]) => [name, schemas.unfolded(property)] as const)
  const own = properties.find(
    ([name, { type }]) =>
      cursorProperty.test(name) && ![type].flat().includes('array') && ![type].flat().includes('object'),
  )
  if (own) return [own[0]]
  if (depth > 0) return undefined
  for (const [name, property] of properties) {
    const inner =
      property.type === 'object' || isObject(property.properties) ? cursorIn(property, schemas, 1) : undefined
    if (inner) return [name, ...inner]
  }
  return undefined
}
