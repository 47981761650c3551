import type { RestPlan } from './operation.js'

/** Why no operation is included, the most frequent reasons first. */
export function reasonsOf({ skipped }: RestPlan): string {
  const counts = new Map<string, number>()
  for (const { reason } of skipped) counts.set(reason, (counts.get(reason) ?? 0) + 1)
  const ranked = [...counts].sort((a, b) => b[1] - a[1]).slice(0, 3)
  return ranked.map(([reason, count]) => `${count} × ${reason}`).join('; ')
}
