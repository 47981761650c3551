/** A path into a value: keys of objects and indexes of arrays. */
export type Path = readonly string[]
export interface Found {
  /** Nodes that match, by path. */
  matches: ReadonlySet<string>
  /** Children that lead to a match, by the path of their parent. */
  leads: ReadonlyMap<string, ReadonlySet<string>>
  /** True if the search stopped before the end. */
  isCut: boolean
}

const mostVisited = 3_000_000
const mostMatches = 300
const mostDeep = 400

export const pathKey = (path: Path): string => JSON.stringify(path)

/** Finds keys and values that contain a text. */
export function findIn(value: unknown, text: string): Found {
  const wanted = text.toLowerCase()
  const has = (place: string) => place.toLowerCase().includes(wanted)
  const matches = new Set<string>()
  const leads = new Map<string, Set<string>>()
  const path: string[] = []
  let visited = 0
  let isCut = false
  const note = () => {
    matches.add(pathKey(path))
    for (let depth = 0; depth < path.length; depth++) {
      const parent = pathKey(path.slice(0, depth))
      const children = leads.get(parent) ?? new Set()
      leads.set(parent, children.add(path[depth] ?? ''))
    }
  }
  const visit = (node: unknown): void => {
    if (matches.size >= mostMatches || ++visited > mostVisited || path.length > mostDeep) {
      isCut = true
      return
    }
    const isLeaf = typeof node !== 'object' || node === null
    if (has(path.at(-1) ?? '') || (isLeaf && has(String(node)))) note()
    if (isLeaf) return
    for (const key in node) {
      if (isCut) return
      path.push(key)
      visit((node as Record<string, unknown>)[key])
      path.pop()
    }
  }
  visit(value)
  return { matches, leads, isCut }
}
