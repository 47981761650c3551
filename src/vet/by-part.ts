import type { Finding } from './finding.js'

/** Findings by part. */
export type PartFinding = Pick<Finding, 'rule' | 'severity' | 'problem' | 'fix'>

/** Findings by part: `tool weigh_hive`. Findings about the whole server are omitted. */
export function byPart(findings: readonly Finding[]): Record<string, PartFinding[]> {
  const found: Record<string, PartFinding[]> = {}
  for (const { rule, severity, location, problem, fix } of findings) {
    for (const place of location.split(' and ')) {
      const [part = ''] = place.split(', ')
      if (!/^(tool|prompt|resource|template) /.test(part)) continue
      const inside = place.slice(part.length + 2)
      found[part] = [
        ...(found[part] ?? []),
        { rule, severity, problem: inside ? `${inside}: ${problem}` : problem, fix },
      ]
    }
  }
  return found
}
