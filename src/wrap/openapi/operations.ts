import { isObject, type JsonObject } from '../../protocol/messages.js'
import type { Location, Style } from '../http-api/operation.js'
import type { Documents, Found } from './documents.js'
import type { OperationContext, ReadBody, ReadOperation, ReadParameter, ReadResponse } from './reading.js'
import { serverUrls } from './servers.js'

/** An operation of OpenAPI 3. */
export function newerOperation(context: OperationContext): ReadOperation {
  const { documents, item, operation, url } = context
  const { requestBody, servers } = operation
  const warnings: string[] = []
  const body = requestBody === undefined ? undefined : documents.followed(requestBody, url)
  if (requestBody !== undefined && !body) warnings.push('the $ref of its request body cannot be resolved')
  return {
    ...commonOf(context),
    servers: serverUrls(Array.isArray(servers) && servers.length > 0 ? servers : item.servers, documents.rootUrl),
    parameters: parametersOf(context, warnings).flatMap(({ value, url: at }) =>
      newerParameter(value as JsonObject, at, documents),
    ),
    ...(body && isObject(body.value) ? { body: bodyOf(body.value, body.url, documents) } : {}),
    responses: responsesOf(context, (response, at) => contentsOf(response.content, at, documents)),
    warnings,
  }
}

export function commonOf({ root, path, method, item, operation }: OperationContext) {
  const { operationId, summary, description, tags, deprecated, security } = operation
  const alternatives = Array.isArray(security) ? security : Array.isArray(root.security) ? root.security : []
  return {
    method,
    path,
    ...(typeof operationId === 'string' && operationId.trim() !== '' ? { operationId } : {}),
    summary: textOf(summary ?? item.summary),
    description: textOf(description ?? item.description),
    tags: Array.isArray(tags) ? tags.filter((tag): tag is string => typeof tag === 'string') : [],
    isDeprecated: deprecated === true,
    security: alternatives
      .filter(isObject)
      .map((alternative) =>
        Object.fromEntries(
          Object.entries(alternative).map(([name, scopes]) => [
            name,
            Array.isArray(scopes) ? scopes.map(String) : [],
          ]),
        ),
      ),
  }
}

/** Parameters of the operation, and those of its path that it does not override. */
export function parametersOf({ documents, item, operation, url }: OperationContext, warnings: string[]): Found[] {
  const byKey = new Map<string, Found>()
  for (const given of [item.parameters, operation.parameters].flatMap((list) =>
    Array.isArray(list) ? list : [],
  )) {
    const found = documents.followed(given, url)
    const parameter = found?.value
    if (!found || !isObject(parameter) || typeof parameter.name !== 'string') {
      const reference = isObject(given) && typeof given.$ref === 'string' ? given.$ref : undefined
      warnings.push(
        reference === undefined
          ? 'a parameter is not an object with a name'
          : `the $ref of a parameter cannot be resolved (${reference})`,
      )
      continue
    }
    byKey.set(`${parameter.in} ${parameter.name}`, found)
  }
  return [...byKey.values()]
}

export const locationOf = (place: unknown): Location | undefined =>
  place === 'path' || place === 'query' || place === 'header' || place === 'cookie' ? place : undefined
/**
 * Headers that the request itself determines (OpenAPI 3, Parameter Object), or the connection; such parameters are not
 * arguments.
 */
export const isReserved = (place: Location, name: string): boolean =>
  place === 'header' &&
  /^(accept|content-type|authorization|content-length|host|transfer-encoding|connection|keep-alive|te|trailer|upgrade|expect|proxy-authorization)$/i.test(
    name,
  )

function newerParameter(given: JsonObject, url: string, documents: Documents): ReadParameter[] {
  const place = locationOf(given.in)
  const name = String(given.name)
  if (place === undefined || isReserved(place, name)) return []
  const style = (
    typeof given.style === 'string' ? given.style : place === 'query' || place === 'cookie' ? 'form' : 'simple'
  ) as Style
  const [content] = contentsOf(given.content, url, documents)
  const [first] = Object.values(isObject(given.examples) ? given.examples : {})
  const example = given.example ?? (isObject(first) ? documents.followed(first, url)?.value : undefined)
  const shown = isObject(example) && example !== given.example && 'value' in example ? example.value : example
  return [
    {
      name,
      in: place,
      isRequired: place === 'path' || given.required === true,
      ...(typeof given.description === 'string' ? { description: given.description } : {}),
      isDeprecated: given.deprecated === true,
      style,
      explode: typeof given.explode === 'boolean' ? given.explode : style === 'form',
      allowsReserved: given.allowReserved === true,
      isJson: content !== undefined && /json/.test(content.mediaType),
      ...(shown === undefined ? {} : { example: shown }),
      schema: content ? content.schema : (given.schema ?? {}),
      url,
    },
  ]
}

function bodyOf(body: JsonObject, url: string, documents: Documents): ReadBody {
  return {
    isRequired: body.required === true,
    ...(typeof body.description === 'string' ? { description: body.description } : {}),
    contents: contentsOf(body.content, url, documents),
  }
}

function contentsOf(content: unknown, url: string, documents: Documents) {
  return Object.entries(isObject(content) ? content : {}).flatMap(([mediaType, given]) => {
    const found = documents.followed(given, url)
    if (!found || !isObject(found.value)) return []
    const { schema, encoding } = found.value
    const encodings = Object.entries(isObject(encoding) ? encoding : {}).filter(
      (entry): entry is [string, JsonObject] => isObject(entry[1]),
    )
    return [{ mediaType: mediaType.toLowerCase(), schema, url: found.url, encoding: Object.fromEntries(encodings) }]
  })
}

export function responsesOf(
  { documents, operation, url }: OperationContext,
  contents: (response: JsonObject, url: string) => ReadResponse['contents'],
): ReadResponse[] {
  return Object.entries(isObject(operation.responses) ? operation.responses : {}).flatMap(([status, given]) => {
    const found = documents.followed(given, url)
    if (status.startsWith('x-') || !found || !isObject(found.value)) return []
    const { description, headers } = found.value
    const hasLinkHeader = isObject(headers) && Object.keys(headers).some((name) => name.toLowerCase() === 'link')
    return [{ status, description: textOf(description), contents: contents(found.value, found.url), hasLinkHeader }]
  })
}

const textOf = (value: unknown): string => (typeof value === 'string' ? value.trim() : '')
