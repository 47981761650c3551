import { matcherOf } from './choose.js'
import type { Layer } from './layer.js'
import { keyOf, type Part } from './part.js'

/** In place of outer layers: the part has no layers, not even its own. */
export const withoutLayers: readonly Layer[] = Object.freeze([])

/** The layers of a part, outermost first: the given ones, such as those of the kit, then its own. */
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
