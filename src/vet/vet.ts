import { messageOf } from '../errors.js'
import type { RuleChoice } from './configuration.js'
import { type Finding, type Rule, severities } from './finding.js'
import { rules } from './rules.js'
import type { Snapshot } from './snapshot.js'

export interface VetReport {
  findings: Finding[]
  /** Number of rules that were run. */
  asked: number
  /** Rules that the project disabled, with its reasons. */
  off: RuleChoice[]
}

/** Runs every rule. If a rule throws, the error becomes a finding and the other rules continue. */
export async function vet(
  snapshot: Snapshot,
  choices: readonly RuleChoice[] = [],
  more: readonly Finding[] = [],
  asked: readonly Rule[] = rules,
): Promise<VetReport> {
  const off = choices.filter(({ as }) => as === 'off')
  const kept = asked.filter(({ id }) => !off.some(({ rule, parts }) => rule === id && parts === undefined))
  const found: Finding[] = [...more]
  for (const rule of kept) found.push(...(await findingsOf(rule, snapshot)))
  const left = found.filter((finding) => !off.some((choice) => concerns(choice, finding)))
  const findings = left.map((finding) => {
    const choice = choices.find((one) => one.as !== 'off' && concerns(one, finding))
    return choice && choice.as !== 'off' ? { ...finding, severity: choice.as } : finding
  })
  return { findings: findings.sort(byGravity), asked: kept.length, off }
}

/** True if a setting applies to the rule and the part of a finding. */
const concerns = ({ rule, parts }: RuleChoice, finding: Finding): boolean =>
  rule === finding.rule &&
  (parts === undefined ||
    parts.some((part) => finding.location === part || finding.location.startsWith(`${part},`)))

async function findingsOf({ id, group, severity, check }: Rule, snapshot: Snapshot): Promise<Finding[]> {
  try {
    return (await check(snapshot)).map((found) => ({ rule: id, group, severity, ...found }))
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
