import { type Document, isMap, isPair, isScalar, isSeq, type YAMLMap, type YAMLSeq } from 'yaml'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import { readYamlOr } from '../../yaml/read-yaml.js'
import { hostConfigErrors } from '../errors.js'
import { places } from './json.js'
import type { Shape } from './shape.js'

/**
 * YAML with a list of servers, each with its name, or with a map of servers, at the top level or where hosts keep maps.
 */
export const yamlShape: Shape = {
  takesInputs: false,
  read: (file, text) => {
    const found = find(parseYaml(file, text))
    return found && { path: found.path, servers: serversIn(found.node) }
  },
  put: (file, text, name, entry) => {
    const document = parseYaml(file, text)
    const found = find(document)
    // An empty document has no map to add to, although it may contain an anchor.
    if (!found && !isMap(document.contents)) document.contents = document.createNode({})
    if (!found && !isEmpty(document.getIn(['mcpServers'], true)))
      throw hostConfigErrors.configUnreadable(file, '"mcpServers" is not a list or a map')
    if (!found) document.setIn(['mcpServers'], document.createNode([{ name, ...entry }]))
    else if (isMap(found.node)) found.node.set(document.createNode(name), document.createNode(entry))
    else putInto(document, found.node, name, entry)
    return document.toString({ lineWidth: 0 })
  },
  remove: (file, text, name) => {
    const document = parseYaml(file, text)
    const found = find(document)
    if (!found) return text
    const { node } = found
    // Comments above the first entry stay with the list.
    const [first] = node.items
    if (isMap(node) ? isKey(first, name) : isNamed(first, name)) node.commentBefore = null
    if (isMap(node)) node.delete(name)
    else node.items = node.items.filter((item) => !isNamed(item, name))
    return document.toString({ lineWidth: 0 })
  },
}

const isEmpty = (node: unknown) => node === undefined || node === null || (isScalar(node) && node.value === null)

/** Keeping comments is slow; configurations are much shorter than this limit. */
const maxCharacters = 20_000

function parseYaml(file: string, text: string): Document {
  if (text.length > maxCharacters)
    throw hostConfigErrors.configUnreadable(file, `it has more than ${maxCharacters} characters`)
  const { document, value } = readYamlOr(text, (located) => hostConfigErrors.configUnreadable(file, located))
  if (typeof value === 'object') return document
  throw hostConfigErrors.configUnreadable(file, 'it is not a list or a map')
}

function find(document: Document): { path: readonly string[]; node: YAMLSeq | YAMLMap } | undefined {
  if (isSeq(document.contents)) return { path: [], node: document.contents }
  for (const path of places) {
    const node = document.getIn(path, true)
    if (isSeq(node) || isMap(node)) return { path, node }
  }
  return undefined
}

function serversIn(node: YAMLSeq | YAMLMap): JsonObject {
  const value: unknown = node.toJSON()
  if (!Array.isArray(value)) return isObject(value) ? value : {}
  return Object.fromEntries(
    value
      .filter(isObject)
      .map(({ name, ...entry }, index) => [typeof name === 'string' ? name : `${index + 1}`, entry]),
  )
}

const isKey = (pair: unknown, name: string) => isPair(pair) && isScalar(pair.key) && pair.key.value === name
const isNamed = (item: unknown, name: string) => isMap(item) && item.get('name') === name

function putInto(document: Document, list: YAMLSeq, name: string, entry: JsonObject): void {
  const known = list.items.find((item) => isNamed(item, name))
  if (!isMap(known)) return list.add(document.createNode({ name, ...entry }))
  // Changes field by field, so that comments next to the name stay.
  for (const key of Object.keys(known.toJSON())) if (key !== 'name' && !(key in entry)) known.delete(key)
  for (const [key, value] of Object.entries(entry)) known.set(key, document.createNode(value))
}
