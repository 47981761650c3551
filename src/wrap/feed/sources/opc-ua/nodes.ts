import type { BrowseResult, ClientSession, NodeId, ReferenceDescription } from 'node-opcua'
import { topicLevel } from '../../topics.js'

export interface FoundMethod {
  readonly object: NodeId
  readonly method: NodeId
}
/** Variables and methods of a server by their paths below its `Objects` folder. */
export interface FoundNodes {
  readonly variables: ReadonlyMap<string, NodeId>
  readonly methods: ReadonlyMap<string, FoundMethod>
  /** True if there are more nodes than the limit. */
  readonly isCut: boolean
}
export interface Search {
  /** Paths of variables, in the syntax of topic filters: `Scales/+/Weight`, `#`. */
  readonly variables: readonly string[]
  readonly methods: readonly string[]
  readonly maxNodes: number
  readonly signal: AbortSignal
}

const batch = 50
const maxDepth = 12
const objectsFolder = 'ns=0;i=85'
const hasProperty = 46
const nodeClasses = { object: 1, variable: 2, method: 4 }

interface Place {
  readonly node: NodeId | string
  readonly levels: readonly string[]
}

/** Browses nodes level by level, only where a filter can match. The server's own nodes are left out. */
export async function findNodes(session: ClientSession, search: Search): Promise<FoundNodes> {
  const levelsOf = (all: readonly string[]) => all.map((filter) => filter.split('/'))
  const ofVariables = levelsOf(search.variables)
  const ofMethods = levelsOf(search.methods)
  const filters = [...ofVariables, ...ofMethods]
  const variables = new Map<string, NodeId>()
  const methods = new Map<string, FoundMethod>()
  const seen = new Set<string>()
  let isCut = false
  let level: Place[] = [{ node: objectsFolder, levels: [] }]
  for (let depth = 0; level.length > 0 && depth < maxDepth; depth++) {
    const next: Place[] = []
    for (let from = 0; from < level.length && !isCut; from += batch) {
      search.signal.throwIfAborted()
      const places = level.slice(from, from + batch)
      for (const [at, references] of (await childrenOf(session, places, search.maxNodes)).entries()) {
        const { node: object, levels: above } = places[at] as Place
        for (const reference of references) {
          const { nodeId, nodeClass, browseName } = reference
          if (isOwn(reference)) continue
          if (seen.size + methods.size >= search.maxNodes) {
            isCut = true
            break
          }
          const levels = [...above, topicLevel(String(browseName.name ?? ''))]
          const path = levels.join('/')
          if (nodeClass === nodeClasses.method) {
            if (ofMethods.some((filter) => fits(filter, levels)) && !methods.has(path))
              methods.set(path, { object: object as NodeId, method: nodeId })
            continue
          }
          // A node can be below several others, and below itself.
          if (seen.has(String(nodeId))) continue
          seen.add(String(nodeId))
          const isVariable = nodeClass === nodeClasses.variable
          if (isVariable && ofVariables.some((filter) => fits(filter, levels)) && !variables.has(path))
            variables.set(path, nodeId)
          if (filters.some((filter) => mayFit(filter, levels))) next.push({ node: nodeId, levels })
        }
      }
    }
    level = next
  }
  return { variables, methods, isCut: isCut || level.length > 0 }
}

async function childrenOf(
  session: ClientSession,
  places: readonly Place[],
  most: number,
): Promise<ReferenceDescription[][]> {
  const results = await session.browse(
    places.map(({ node }) => ({
      nodeId: node,
      referenceTypeId: 'HierarchicalReferences',
      includeSubtypes: true,
      browseDirection: 0,
      nodeClassMask: nodeClasses.object | nodeClasses.variable | nodeClasses.method,
      resultMask: 63,
    })),
  )
  return Promise.all(results.map((result) => allOf(session, result, most)))
}

/** A server may return the children of a node in several parts. */
async function allOf(session: ClientSession, first: BrowseResult, most: number): Promise<ReferenceDescription[]> {
  const all = [...(first.references ?? [])]
  let { continuationPoint } = first
  // One node more than the limit shows that there are more.
  for (
    let pieces = 0;
    continuationPoint && continuationPoint.length > 0 && all.length <= most && pieces < 1000;
    pieces++
  ) {
    const next: BrowseResult = await session.browseNext(continuationPoint, false)
    all.push(...(next.references ?? []))
    continuationPoint = next.continuationPoint
  }
  return all
}

/** Properties describe another node, and namespace 0 contains the server's own nodes. */
const isOwn = ({ nodeId, referenceTypeId }: ReferenceDescription): boolean =>
  nodeId.namespace === 0 || (referenceTypeId.namespace === 0 && referenceTypeId.value === hasProperty)

function fits(filter: readonly string[], levels: readonly string[]): boolean {
  const isOpen = filter.at(-1) === '#'
  if (isOpen ? levels.length < filter.length - 1 : levels.length !== filter.length) return false
  return levels.every((level, at) => {
    const wanted = filter[at]
    return (isOpen && at >= filter.length - 1) || wanted === '+' || wanted === level
  })
}

/** True if a node further down can match. */
function mayFit(filter: readonly string[], levels: readonly string[]): boolean {
  if (filter.at(-1) !== '#' && filter.length <= levels.length) return false
  return levels.every((level, at) => {
    const wanted = filter[at]
    return wanted === undefined || wanted === '#' || wanted === '+' || wanted === level
  })
}
