import type { Finding } from './finding.js'

/** What stands at a part, for who shows parts. */
export type PartFinding = Pick<Finding, 'rule' | 'severity' | 'what' | 'fix'>

/** Findings by the parts that they are about: `tool weigh_hive`. What is about the server as a whole is left out. */
export function byPart(findings: readonly Finding[]): Record<string, PartFinding[]> {
  const found: Record<string, PartFinding[]> = {}
  for (const { rule, severity, where, what, fix } of findings) {
    for (const place of where.split(' and ')) {
      const [part = ''] = place.split(', ')
      if (!/^(tool|prompt|resource|template) /.test(part)) continue
      const inside = place.slice(part.length + 2)
      found[part] = [...(found[part] ?? []), { rule, severity, what: inside ? `${inside}: ${what}` : what, fix }]
    }
  }
  return found
}
