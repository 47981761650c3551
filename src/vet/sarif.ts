import { version } from '../version.js'
import type { Finding } from './finding.js'
import { rules } from './rules.js'

const levels = { error: 'error', warning: 'warning', note: 'note' } as const

/** Findings as SARIF 2.1.0, which code hosting services show next to the lines. */
export function toSarif(findings: readonly Finding[], artefact: string): Record<string, unknown> {
  const known = rules.map(({ id, about, group, severity }) => ({
    id,
    shortDescription: { text: about },
    properties: { group },
    defaultConfiguration: { level: levels[severity] },
  }))
  const others = [...new Set(findings.map(({ rule }) => rule))].filter(
    (id) => !rules.some((rule) => rule.id === id),
  )
  return {
    $schema: 'https://json.schemastore.org/sarif-2.1.0.json',
    version: '2.1.0',
    runs: [
      {
        tool: { driver: { name: 'jexo vet', version, rules: [...known, ...others.map((id) => ({ id }))] } },
        results: findings.map(({ rule, severity, location, problem, fix }) => ({
          ruleId: rule,
          level: levels[severity],
          message: { text: `${location}: ${problem}. ${fix[0]?.toUpperCase()}${fix.slice(1)}.` },
          locations: [
            {
              physicalLocation: { artifactLocation: { uri: artefact } },
              logicalLocations: [{ fullyQualifiedName: location }],
            },
          ],
        })),
      },
    ],
  }
}
