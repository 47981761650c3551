import { messageOf } from '../../errors.js'
import { oneLine } from '../../escape/one-line.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import { moduleErrors } from '../module/errors.js'
import { type Documents, readDocuments, shown } from './documents.js'
import { newerOperation } from './operations.js'
import type { ReadDescription, ReadOperation } from './reading.js'
import { firstServer, olderServers, pathOf, serverUrls } from './servers.js'
import { olderOperation } from './swagger.js'

const methods = ['get', 'put', 'post', 'delete', 'options', 'head', 'patch', 'trace', 'query']

/**
 * Reads a description of OpenAPI 2.0, 3.0 or 3.1: a URL or a value. Rejects with a `JexoError` if it is not one; an
 * error in a single operation only skips that operation.
 */
export async function readOpenApi(
  source: URL | JsonObject,
  allowReferences: readonly string[] = [],
): Promise<ReadDescription> {
  return readingOf(await readDocuments(source, allowReferences))
}

export function readingOf(documents: Documents): ReadDescription {
  const { root, rootUrl } = documents
  const place = shown(rootUrl)
  const version = versionOf(root, place)
  const isOlder = version === '2.0'
  const operations: ReadOperation[] = []
  const malformed: { where: string; reason: string }[] = []
  for (const [path, given] of Object.entries(isObject(root.paths) ? root.paths : {})) {
    if (path.startsWith('x-')) continue
    const item = documents.followed(given, rootUrl)
    if (!item || !isObject(item.value)) {
      malformed.push({ where: path, reason: 'the path has no operations' })
      continue
    }
    const more = isObject(item.value.additionalOperations) ? item.value.additionalOperations : {}
    const named = [
      ...methods.map((method) => [method, item.value as JsonObject] as const),
      ...Object.keys(more).map((method) => [method, more] as const),
    ]
    for (const [method, holder] of named) {
      const operation = holder[method]
      if (operation === undefined) continue
      const where = `${method.toUpperCase()} ${path}`
      if (!isObject(operation)) {
        malformed.push({ where, reason: 'it is not an object' })
        continue
      }
      const context = {
        documents,
        root,
        path: path.startsWith('/') ? path : `/${path}`,
        method: method.toUpperCase(),
        item: item.value as JsonObject,
        operation,
        url: item.url,
      }
      try {
        operations.push(isOlder ? olderOperation(context) : newerOperation(context))
      } catch (error) {
        malformed.push({ where, reason: `it cannot be read (${messageOf(error)})` })
      }
    }
  }
  const info = isObject(root.info) ? root.info : {}
  return {
    documents,
    version,
    title: (typeof info.title === 'string' && oneLine(info.title).slice(0, 200)) || 'the API',
    servers: isOlder ? olderServers(root, rootUrl) : serverUrls(root.servers, rootUrl),
    ...pathOf(isOlder ? root.basePath : firstServer(root.servers)),
    securitySchemes: schemesOf(documents, isOlder),
    operations,
    malformed,
  }
}

function versionOf(root: unknown, place: string): ReadDescription['version'] {
  if (!isObject(root))
    throw moduleErrors.sourceUnreadable(
      place,
      `it is ${root === undefined || root === null ? 'empty' : 'no object'}, not an OpenAPI description`,
    )
  const version = String(root.openapi ?? root.swagger ?? '')
  if (root.swagger !== undefined && version.startsWith('2')) return '2.0'
  if (/^3\.0(\.|$)/.test(version)) return '3.0'
  if (/^3\.\d/.test(version)) return '3.1'
  const said = version === '' ? 'it has neither "openapi" nor "swagger"' : `it is of version ${version}`
  throw moduleErrors.sourceUnreadable(place, `${said}; OpenAPI 2.0, 3.0 and 3.1 are supported`)
}

function schemesOf(documents: Documents, isOlder: boolean): Record<string, JsonObject> {
  const { root, rootUrl } = documents
  const components = isObject(root.components) ? root.components : {}
  const given = isOlder ? root.securityDefinitions : components.securitySchemes
  return Object.fromEntries(
    Object.entries(isObject(given) ? given : {}).flatMap(([name, scheme]) => {
      const found = documents.followed(scheme, rootUrl)?.value
      return isObject(found) ? [[name, found]] : []
    }),
  )
}
