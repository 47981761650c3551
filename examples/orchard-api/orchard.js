/** Data of the orchard that both applications serve. Generated, and the same at every start. */
const varieties = ['Bramling', 'Cox Marsh', 'Quarry Russet']

export function openOrchard() {
  const trees = Array.from({ length: 24 }, (_, at) => ({
    id: `OE-${String(at + 1).padStart(2, '0')}`,
    variety: varieties[at % varieties.length],
    planted: 2004 + (at % 12),
  }))
  const harvests = trees
    .slice(0, 12)
    .map(({ id }, at) => ({ tree: id, on: `2025-09-${String(at + 10)}`, kg: 31.5 + at }))
  return {
    trees: (variety) => trees.filter((tree) => variety === undefined || tree.variety === variety),
    tree: (id) => trees.find((tree) => tree.id === id),
    harvests: (tree) => harvests.filter((harvest) => tree === undefined || harvest.tree === tree),
    record(harvest) {
      harvests.push(harvest)
      return harvest
    },
  }
}

export const varietyNames = varieties
