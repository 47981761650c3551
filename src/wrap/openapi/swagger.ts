import { isObject, type JsonObject } from '../../protocol/messages.js'
import type { Style } from '../http-api/operation.js'
import { commonOf, isReserved, locationOf, parametersOf, responsesOf } from './operations.js'
import type { OperationContext, ReadBody, ReadOperation, ReadParameter } from './reading.js'

/** Converts an operation of OpenAPI 2.0, in which bodies and forms are parameters with inline types. */
export function olderOperation(context: OperationContext): ReadOperation {
  const { root, operation } = context
  const warnings: string[] = []
  const found = parametersOf(context, warnings).map(({ value, url }) => ({ given: value as JsonObject, url }))
  const consumes = mediaTypes(operation.consumes ?? root.consumes, 'application/json')
  const produces = mediaTypes(operation.produces ?? root.produces, 'application/json')
  const body = bodyOf(found, consumes)
  return {
    ...commonOf(context),
    servers: [],
    parameters: found.flatMap(({ given, url }) => olderParameter(given, url)),
    ...(body ? { body } : {}),
    responses: responsesOf(context, (response, url) =>
      response.schema === undefined
        ? []
        : produces.map((mediaType) => ({ mediaType, schema: fileAware(response.schema), url })),
    ),
    warnings,
  }
}

const mediaTypes = (given: unknown, otherwise: string): string[] => {
  const named = Array.isArray(given) ? given.filter((name): name is string => typeof name === 'string') : []
  return named.length > 0 ? named.map((name) => name.toLowerCase()) : [otherwise]
}

const styles: Readonly<Record<string, { style: Style; explode: boolean }>> = {
  csv: { style: 'form', explode: false },
  ssv: { style: 'spaceDelimited', explode: false },
  tsv: { style: 'tabDelimited', explode: false },
  pipes: { style: 'pipeDelimited', explode: false },
  multi: { style: 'form', explode: true },
}

function olderParameter(given: JsonObject, url: string): ReadParameter[] {
  const place = locationOf(given.in)
  const name = String(given.name)
  if (place === undefined || isReserved(place, name)) return []
  const list = styles[String(given.collectionFormat ?? 'csv')] ?? { style: 'form', explode: false }
  return [
    {
      name,
      in: place,
      isRequired: place === 'path' || given.required === true,
      ...(typeof given.description === 'string' ? { description: given.description } : {}),
      isDeprecated: false,
      ...(place === 'query' ? list : { style: 'simple' as const, explode: false }),
      allowsReserved: false,
      isJson: false,
      ...(given['x-example'] === undefined ? {} : { example: given['x-example'] }),
      schema: schemaOf(given),
      url,
    },
  ]
}

/** Fields of a parameter that belong to its schema. */
function schemaOf({
  name: _name,
  in: _in,
  required: _required,
  description: _about,
  collectionFormat: _format,
  ...schema
}: JsonObject): JsonObject {
  return schema
}

/** `body`, or all `formData` parameters together. */
function bodyOf(
  found: readonly { given: JsonObject; url: string }[],
  consumes: readonly string[],
): ReadBody | undefined {
  const whole = found.find(({ given }) => given.in === 'body')
  if (whole) {
    const { given, url } = whole
    return {
      isRequired: given.required === true,
      ...(typeof given.description === 'string' ? { description: given.description } : {}),
      contents: consumes.map((mediaType) => ({ mediaType, schema: given.schema ?? {}, url, encoding: {} })),
    }
  }
  const fields = found.filter(({ given }) => given.in === 'formData')
  const [first] = fields
  if (!first) return undefined
  const hasFile = fields.some(({ given }) => given.type === 'file')
  const mediaType =
    hasFile || consumes.includes('multipart/form-data')
      ? 'multipart/form-data'
      : 'application/x-www-form-urlencoded'
  const properties = fields.map(({ given }) => {
    const about = typeof given.description === 'string' ? { description: given.description } : {}
    const schema = given.type === 'file' ? { type: 'string', format: 'binary' } : schemaOf(given)
    return [String(given.name), { ...schema, ...about }] as const
  })
  const lists = fields.filter(({ given }) => given.type === 'array')
  const encoding = lists.map(
    ({ given }) => [String(given.name), { ...(styles[String(given.collectionFormat ?? 'csv')] ?? {}) }] as const,
  )
  const required = fields.filter(({ given }) => given.required === true).map(({ given }) => String(given.name))
  const schema = { type: 'object', properties: Object.fromEntries(properties), required }
  return {
    isRequired: required.length > 0,
    contents: [{ mediaType, schema, url: first.url, encoding: Object.fromEntries(encoding) }],
  }
}

/** `type: file` means that the response is bytes. */
const fileAware = (schema: unknown): unknown =>
  isObject(schema) && schema.type === 'file' ? { type: 'string', format: 'binary' } : schema
