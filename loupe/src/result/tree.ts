/** A step into a value: a key of an object, an index of an array. */
export type Path = readonly string[]
export interface Found {
  /** Nodes that match, by path. */
  matches: ReadonlySet<string>
  /** Nodes that have to be open for all matches to be seen. */
  open: ReadonlySet<string>
  /** True where the search was given up: there is more than anybody looks through. */
  isCut: boolean
}

const mostVisited = 300_000
const mostMatches = 300

export const pathKey = (path: Path): string => JSON.stringify(path)

/** Finds keys and values that hold a text. */
export function findIn(value: unknown, text: string): Found {
  const wanted = text.toLowerCase()
  const matches = new Set<string>()
  const open = new Set<string>()
  let visited = 0
  let isCut = false
  const visit = (node: unknown, path: Path): void => {
    if (matches.size >= mostMatches || ++visited > mostVisited) {
      isCut = true
      return
    }
    const own = path.at(-1) ?? ''
    const isLeaf = typeof node !== 'object' || node === null
    if (own.toLowerCase().includes(wanted) || (isLeaf && String(node).toLowerCase().includes(wanted))) {
      matches.add(pathKey(path))
      for (let length = 0; length < path.length; length++) open.add(pathKey(path.slice(0, length)))
    }
    if (isLeaf) return
    for (const [key, item] of Object.entries(node as object)) {
      if (isCut) return
      visit(item, [...path, key])
    }
  }
  visit(value, [])
  return { matches, open, isCut }
}
