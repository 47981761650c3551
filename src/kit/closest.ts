import { distance } from 'fastest-levenshtein'

/** The existing names that are nearest to an unknown name, best first, for suggestions. */
export function closestTo(name: string, known: readonly string[], most = 3): string[] {
  const wanted = name.toLowerCase()
  return [...new Set(known)]
    .map((candidate) => ({ candidate, score: scoreOf(wanted, candidate.toLowerCase()) }))
    .filter(
      ({ candidate, score }) => score <= Math.max(1, Math.floor(Math.max(candidate.length, name.length) * 0.45)),
    )
    .sort((a, b) => a.score - b.score || (a.candidate < b.candidate ? -1 : 1))
    .slice(0, most)
    .map(({ candidate }) => candidate)
}

/** The end of a message about an unknown name: `; did you mean hives?`. Empty if no name is similar. */
export const suggestion = (closest: readonly string[]): string =>
  closest.length > 0 ? `; did you mean ${closest.join(', ')}?` : ''

function scoreOf(wanted: string, candidate: string): number {
  const raw = distance(wanted, candidate)
  return wanted.length >= 3 && (candidate.includes(wanted) || wanted.includes(candidate)) ? Math.min(raw, 1) : raw
}
