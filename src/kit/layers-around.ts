import { matcherOf } from './choose.js'
import type { Layer } from './layer.js'
import { keyOf, type Part } from './part.js'

/** In the place of outer layers: a part has none at all, not even its own. */
export const withoutLayers: readonly Layer[] = Object.freeze([])

/** The layers of a part in their order, outermost first: those that are given, such as a kit's, then its own. */
export function layersAround(part: Part, outer: readonly Layer[]): readonly Layer[] {
  if (outer === withoutLayers) return withoutLayers
  const own = part.layers ?? []
  const view = { key: keyOf(part), tags: part.tags, others: [part.name] }
  const all = [...outer, ...own]
  return all.filter(({ only }) => only === undefined || only.some((name) => matcherOf(name)(view)))
}

/** The parts that layers add. */
export const partsOfLayers = (layers: readonly Layer[]): Part[] => [
  ...new Set(layers.flatMap(({ parts = [] }) => parts)),
]
