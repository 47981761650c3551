import { readFile } from 'node:fs/promises'
import { fileURLToPath } from 'node:url'
import {
  buildASTSchema,
  buildClientSchema,
  type DocumentNode,
  type GraphQLSchema,
  getIntrospectionQuery,
  type IntrospectionQuery,
  parse,
  printSchema,
} from 'graphql'
import { isPrivateHost } from '../../access/private-address.js'
import { isJexoError } from '../../errors.js'
import { oneLine } from '../../escape/one-line.js'
import { isObject } from '../../protocol/messages.js'
import { codeOf, withTimeout } from '../http-api/pipeline.js'
import { networkSender } from '../http-api/sender.js'
import { moduleErrors } from '../module/errors.js'
import { wrapRegistry } from '../source/registry.js'
import { sourceUrl } from '../source/source.js'
import { graphqlErrors } from './errors.js'

const maxBytes = 64_000_000

/** A GraphQL schema and the written operations for it. */
export interface GraphReading {
  readonly schema: GraphQLSchema
  /** The schema as text, for lookups. */
  readonly sdl: string
  /** URL of the endpoint, if the source is one. */
  readonly url: string | undefined
  readonly documents: readonly OperationFile[]
  readonly unread: readonly { where: string; reason: string }[]
  /** Problems of the schema that were ignored. */
  readonly warnings: readonly string[]
}
export interface OperationFile {
  readonly name: string
  readonly text: string
  readonly document: DocumentNode
}

/**
 * Reads a schema from an SDL file, an introspection result or an endpoint, and files with operations.
 * Rejects with a `JexoError` if the schema cannot be read.
 */
export async function readGraph(
  source: URL | string,
  operations: readonly (URL | string)[],
  headers: Readonly<Record<string, string>> = {},
): Promise<GraphReading> {
  const url = sourceUrl(source)
  const isRemote = url.protocol !== 'file:'
  const text = isRemote ? await introspected(url, headers) : await textOf(url)
  const { schema, warnings } = schemaOf(text, isRemote ? url.href : fileURLToPath(url))
  const documents: OperationFile[] = []
  const unread: { where: string; reason: string }[] = []
  for (const file of operations) {
    const at = sourceUrl(file)
    const name = at.pathname.split('/').at(-1) ?? at.href
    const own = await textOf(at)
    try {
      documents.push({ name, text: own, document: parse(own, { maxTokens: 200_000 }) })
    } catch (error) {
      unread.push({ where: name, reason: reasonOf(error) })
    }
  }
  return { schema, sdl: printSchema(schema), url: isRemote ? url.href : undefined, documents, unread, warnings }
}

async function textOf(url: URL): Promise<string> {
  const file = fileURLToPath(url)
  try {
    const text = await readFile(file, 'utf8')
    wrapRegistry().onSource?.(file)
    return text
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException
    throw code === 'ENOENT' ? moduleErrors.sourceMissing(file) : moduleErrors.sourceUnreadable(file, message)
  }
}

function schemaOf(text: string, where: string): { schema: GraphQLSchema; warnings: readonly string[] } {
  try {
    if (!/^\s*\{\s*"/.test(text)) return writtenSchema(parse(text))
    const json = JSON.parse(text) as { data?: unknown }
    const found = isObject(json.data) ? json.data : json
    return { schema: buildClientSchema(found as unknown as IntrospectionQuery), warnings: [] }
  } catch (error) {
    throw moduleErrors.sourceUnreadable(where, `it is not a GraphQL schema: ${reasonOf(error)}`)
  }
}

/** Schemas in use are not always valid: the usable part is taken, and errors are reported. */
function writtenSchema(document: DocumentNode): { schema: GraphQLSchema; warnings: readonly string[] } {
  try {
    return { schema: buildASTSchema(document), warnings: [] }
  } catch (error) {
    const schema = buildASTSchema(document, { assumeValid: true, assumeValidSDL: true })
    return { schema, warnings: reasonOf(error).split(/\n+/).slice(0, 5) }
  }
}

/** Requests the schema of an endpoint. */
async function introspected(url: URL, given: Readonly<Record<string, string>>): Promise<string> {
  const network = networkSender({ maxBytes, allowPrivateNetwork: isPrivateHost(url.hostname) })
  const headers = { accept: 'application/json', 'content-type': 'application/json', ...given }
  try {
    const { status, body } = await withTimeout(network.send, 30_000)(
      {
        method: 'POST',
        url: url.href,
        headers: Object.entries(headers),
        body: Buffer.from(JSON.stringify({ query: getIntrospectionQuery() })),
      },
      new AbortController().signal,
    )
    const text = Buffer.from(body).toString()
    const refusal = refusalIn(text)
    if (status === 200 && refusal === undefined) return text
    throw graphqlErrors.introspectionRefused(url.href, refusal ?? `status ${status}`)
  } catch (error) {
    if (isJexoError(error)) throw error
    throw moduleErrors.sourceUnreadable(url.href, codeOf(error) ?? reasonOf(error))
  } finally {
    await network.close()
  }
}

/** Why an endpoint returned errors instead of its schema; undefined if it returned a schema. */
function refusalIn(text: string): string | undefined {
  try {
    const { data, errors } = JSON.parse(text) as { data?: unknown; errors?: { message?: unknown }[] }
    const [first] = Array.isArray(errors) ? errors : []
    return first && !data ? oneLine(String(first.message ?? 'errors')).slice(0, 200) : undefined
  } catch {
    return undefined
  }
}

/** A GraphQL error with its location. */
export function reasonOf(error: unknown): string {
  const { message, locations } = error as {
    message?: string
    locations?: readonly { line: number; column: number }[]
  }
  const [place] = locations ?? []
  return `${message ?? String(error)}${place ? ` (line ${place.line}, column ${place.column})` : ''}`
}
