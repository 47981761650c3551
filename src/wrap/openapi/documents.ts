import { readFile, realpath, stat } from 'node:fs/promises'
import { dirname, sep } from 'node:path'
import { fileURLToPath } from 'node:url'
import { isPrivateHost } from '../../access/private-address.js'
import { isJexoError, messageOf } from '../../errors.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import { codeOf, withRedirects, withTimeout } from '../http-api/pipeline.js'
import { networkSender } from '../http-api/sender.js'
import { moduleErrors } from '../module/errors.js'
import { wrapRegistry } from '../source/registry.js'
import { parseText } from './parse-text.js'
import { boundShape } from './shape.js'

/** Maximum size of a description with all referenced documents. */
const maxBytes = 64_000_000
const maxDocuments = 500

/** The target of a reference: the value, its document and its location. */
export interface Found {
  readonly value: unknown
  readonly url: string
  /** Its location in the document, such as `/components/schemas/Hive`. */
  readonly pointer: string
}

/** A description and all referenced documents, loaded; references are resolved without further reads. */
export class Documents {
  readonly #documents: ReadonlyMap<string, unknown>
  readonly #anchors: ReadonlyMap<string, Found>
  readonly rootUrl: string
  readonly warnings: readonly string[]

  constructor(
    rootUrl: string,
    documents: ReadonlyMap<string, unknown>,
    warnings: readonly string[],
    anchors: ReadonlyMap<string, Found>,
  ) {
    this.rootUrl = rootUrl
    this.#documents = documents
    this.warnings = warnings
    this.#anchors = anchors
  }

  get root(): JsonObject {
    return this.#documents.get(this.rootUrl) as JsonObject
  }

  /** The target of a reference in a document; undefined if it cannot be resolved. */
  find(reference: string, from: string): Found | undefined {
    const [file = '', fragment = ''] = reference.split('#')
    const url = file === '' ? from : urlOf(file, from)
    if (url === undefined || !this.#documents.has(url)) return undefined
    if (fragment !== '' && !fragment.startsWith('/')) return this.#anchors.get(`${url}#${fragment}`)
    let value = this.#documents.get(url)
    for (const step of fragment.split('/').slice(1)) {
      const key = decoded(step)
      if (typeof value !== 'object' || value === null || !Object.hasOwn(value, key)) return undefined
      value = (value as Record<string, unknown>)[key]
    }
    return { value, url, pointer: fragment }
  }

  /** A value after following `$ref`, repeatedly; undefined if the target is missing or references are circular. */
  followed(value: unknown, url: string): Found | undefined {
    let at: Found = { value, url, pointer: '' }
    for (let steps = 0; steps < 50; steps++) {
      const reference = isObject(at.value) ? at.value.$ref : undefined
      if (typeof reference !== 'string') return at
      const next = this.find(reference, at.url)
      if (!next) return undefined
      at = next
    }
    return undefined
  }
}

/**
 * Reads a description and its referenced documents. Rejects with a `JexoError` if the description itself cannot be
 * read.
 */
export async function readDocuments(
  source: URL | JsonObject,
  allowReferences: readonly string[] = [],
): Promise<Documents> {
  const rootUrl = source instanceof URL ? source.href.replace(/#.*$/, '') : 'object:description'
  const documents = new Map<string, unknown>()
  const anchors = new Map<string, Found>()
  const warnings: string[] = []
  let bytes = 0
  const mayRead = await boundaryOf(rootUrl, allowReferences)
  const add = async (url: string, given?: unknown) => {
    if (url !== rootUrl && !(await mayRead(url)))
      throw moduleErrors.sourceUnreadable(
        shown(url),
        'it is outside the folder or origin of the description; allow it by allowReferences (--allow-ref)',
      )
    const text = given === undefined ? await textAt(url, rootUrl) : ''
    bytes += text.length
    if (bytes > maxBytes)
      throw moduleErrors.sourceUnreadable(shown(rootUrl), `it has more than ${maxBytes / 1e6} MB`)
    const document = given ?? parseText(text, shown(url))
    // A value passed by the author is trusted.
    if (given === undefined) warnings.push(...boundShape(document, shown(url)))
    documents.set(url, document)
    return referencesIn(document, url, anchors)
  }
  const waiting = [...(await add(rootUrl, source instanceof URL ? undefined : source))]
  for (let url = waiting.pop(); url !== undefined; url = waiting.pop()) {
    if (documents.has(url)) continue
    if (documents.size >= maxDocuments)
      throw moduleErrors.sourceUnreadable(shown(rootUrl), `it refers to more than ${maxDocuments} files`)
    try {
      waiting.push(...(await add(url)))
    } catch (error) {
      documents.set(url, undefined)
      warnings.push(
        `cannot read ${shown(url)}, which a $ref names: ${isJexoError(error) ? error.problem : String(error)}`,
      )
    }
  }
  return new Documents(rootUrl, documents, warnings, anchors)
}

/** Documents that a document refers to, and the anchors in it. */
function referencesIn(document: unknown, url: string, anchors: Map<string, Found>): Set<string> {
  const found = new Set<string>()
  const seen = new Set<object>()
  const waiting: unknown[] = [document]
  while (waiting.length > 0) {
    const at = waiting.pop()
    if (typeof at !== 'object' || at === null || seen.has(at)) continue
    seen.add(at)
    if (!Array.isArray(at)) {
      const { $ref, $anchor } = at as { $ref?: unknown; $anchor?: unknown }
      if (typeof $anchor === 'string') anchors.set(`${url}#${$anchor}`, { value: at, url, pointer: `/${$anchor}` })
      const file = typeof $ref === 'string' ? $ref.split('#')[0] : ''
      const target = file ? urlOf(file, url) : undefined
      if (target !== undefined) found.add(target)
    }
    for (const inner of Object.values(at)) if (typeof inner === 'object') waiting.push(inner)
  }
  return found
}

/** Local files may refer to the network; documents from the network may not refer to local files. */
function urlOf(file: string, from: string): string | undefined {
  if (!URL.canParse(file, from)) return undefined
  const url = new URL(file, from)
  const isAllowed =
    url.protocol === 'https:' || url.protocol === 'http:' || (url.protocol === 'file:' && from.startsWith('file:'))
  return isAllowed ? url.href : undefined
}

/** Allowed targets of references: files below the description's folder, URLs of its origin, and configured ones. Links are resolved first. */
async function boundaryOf(rootUrl: string, allowed: readonly string[]): Promise<(url: string) => Promise<boolean>> {
  const isFile = rootUrl.startsWith('file:')
  const own = isFile ? [dirname(fileURLToPath(rootUrl))] : []
  const given = allowed.filter((place) => !/^https?:/.test(place))
  const folders = await Promise.all(
    [...own, ...given.map((place) => (place.startsWith('file:') ? fileURLToPath(place) : place))].map((folder) =>
      realpath(folder).catch(() => folder),
    ),
  )
  const origins = new Set(
    [rootUrl, ...allowed].flatMap((place) => (/^https?:/.test(place) ? new URL(place).origin : [])),
  )
  return async (url) => {
    if (!url.startsWith('file:')) return origins.has(new URL(url).origin)
    const file = await resolvedFile(url).catch(() => undefined)
    if (file === undefined) return false
    return folders.some((folder) => file.startsWith(folder.endsWith(sep) ? folder : folder + sep))
  }
}

/** Throws for a file URL that is not a valid path, such as one with an encoded slash. */
async function resolvedFile(url: string): Promise<string> {
  const path = fileURLToPath(url)
  return realpath(path).catch(() => path)
}

async function textAt(url: string, rootUrl: string): Promise<string> {
  if (url.startsWith('file:')) {
    const file = fileURLToPath(url)
    const found = await stat(file).catch(() => undefined)
    if (!found?.isFile()) throw moduleErrors.sourceMissing(file)
    wrapRegistry().onSource?.(file)
    if (found.size > maxBytes) throw moduleErrors.sourceUnreadable(file, `it has more than ${maxBytes / 1e6} MB`)
    return readFile(file, 'utf8')
  }
  return fetched(
    url,
    isPrivateHost(new URL(rootUrl === 'object:description' ? url : rootUrl).hostname) ||
      rootUrl.startsWith('file:'),
  )
}

async function fetched(url: string, allowPrivateNetwork: boolean): Promise<string> {
  const network = networkSender({ maxBytes, allowPrivateNetwork })
  const send = withRedirects(withTimeout(network.send, 30_000), new Set([new URL(url).host]), () => false)
  try {
    const { status, body, isCut } = await send(
      { method: 'GET', url, headers: [['accept', 'application/json, application/yaml, */*;q=0.5']] },
      new AbortController().signal,
    )
    if (status !== 200) throw moduleErrors.sourceUnreadable(url, `the server returned ${status}`)
    if (isCut) throw moduleErrors.sourceUnreadable(url, `it has more than ${maxBytes / 1e6} MB`)
    return Buffer.from(body).toString()
  } catch (error) {
    if (isJexoError(error)) throw error
    throw moduleErrors.sourceUnreadable(url, codeOf(error) ?? messageOf(error))
  } finally {
    await network.close()
  }
}

/** The key for a step of a JSON pointer. */
function decoded(step: string): string {
  const plain = step.replaceAll('~1', '/').replaceAll('~0', '~')
  try {
    return decodeURIComponent(plain)
  } catch {
    return plain
  }
}

export function shown(url: string): string {
  try {
    return url.startsWith('file:') ? fileURLToPath(url) : url
  } catch {
    return url
  }
}
