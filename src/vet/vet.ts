import { messageOf } from '../errors.js'
import type { RuleChoice } from './configuration.js'
import { type Finding, type Rule, severities } from './finding.js'
import { rules } from './rules.js'
import type { Snapshot } from './snapshot.js'

export interface VetReport {
  findings: Finding[]
  /** How many rules were asked. */
  asked: number
  /** Rules that the project has set off, with its reasons. */
  off: RuleChoice[]
}

/** Asks every rule. A rule that breaks on a server's odd content is itself a finding: the others go on. */
export async function vet(
  surface: Snapshot,
  choices: readonly RuleChoice[] = [],
  more: readonly Finding[] = [],
  asked: readonly Rule[] = rules,
): Promise<VetReport> {
  const off = choices.filter(({ as }) => as === 'off')
  const found: Finding[] = [...more.filter(({ rule }) => !off.some((choice) => choice.rule === rule))]
  const kept = asked.filter(({ id }) => !off.some(({ rule }) => rule === id))
  for (const rule of kept) found.push(...(await findingsOf(rule, surface)))
  const findings = found.map((finding) => {
    const choice = choices.find(({ rule, as }) => rule === finding.rule && as !== 'off')
    return choice && choice.as !== 'off' ? { ...finding, severity: choice.as } : finding
  })
  return { findings: findings.sort(byGravity), asked: kept.length, off }
}

async function findingsOf({ id, group, severity, check }: Rule, surface: Snapshot): Promise<Finding[]> {
  try {
    return (await check(surface)).map((found) => ({ rule: id, group, severity, ...found }))
  } catch (error) {
    const reason = messageOf(error)
    return [
      {
        rule: id,
        group,
        severity: 'note',
        location: 'server',
        problem: `the rule failed: ${reason}`,
        fix: "check the server's lists",
      },
    ]
  }
}

const byGravity = (one: Finding, other: Finding) =>
  severities.indexOf(one.severity) - severities.indexOf(other.severity) ||
  one.rule.localeCompare(other.rule) ||
  one.location.localeCompare(other.location)
