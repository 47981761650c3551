import { distance } from 'fastest-levenshtein'

/** The names nearest to one that does not exist, best first: what its writer may have meant. */
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

function scoreOf(wanted: string, candidate: string): number {
  const raw = distance(wanted, candidate)
  return wanted.length >= 3 && (candidate.includes(wanted) || wanted.includes(candidate)) ? Math.min(raw, 1) : raw
}
