import type { Hit } from './word-index.js'

/** Weight of first places compared with later ones; the usual constant of reciprocal rank fusion. */
const evenness = 60

/** Combines rankings: entries rank high if they rank high in one of them, and higher if they are in several. */
export function fused<Key>(rankings: readonly (readonly Hit<Key>[])[]): Hit<Key>[] {
  const scores = new Map<Key, number>()
  for (const ranking of rankings)
    for (const [place, { key }] of ranking.entries())
      scores.set(key, (scores.get(key) ?? 0) + 1 / (evenness + place + 1))
  return [...scores].map(([key, score]) => ({ key, score })).sort((a, b) => b.score - a.score)
}
