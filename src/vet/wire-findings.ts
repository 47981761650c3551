import { kitErrors } from '../kit/errors.js'
import { newestRevision, revisions } from '../protocol/revisions.js'
import { commandOf } from '../target/command-of.js'
import type { Target } from '../target/target.js'
import { accessSubject, headersFor } from './access-subject.js'
import type { Finding } from './finding.js'
import type { Snapshot } from './snapshot.js'
import { subjectOf } from './subject.js'
import { WireCheck } from './wire/check.js'
import { childServer } from './wire/child-talk.js'
import { type Headers, httpServer } from './wire/http-talk.js'
import { requirements } from './wire/table.js'
import type { WireServer } from './wire/talk.js'

export interface WireReport {
  revision: string
  /** By page of the standard: the number of checks that pass, fail, and do not apply to this server. */
  sections: { section: string; met: number; broken: number; left: number }[]
  findings: Finding[]
}

/** Checks a server against the standard, in one revision. Only read-only tools are called. */
export async function wireFindings(
  target: Exclude<Target, { kind: 'tape' }>,
  snapshot: Snapshot,
  { revision: asked, stepMs = 2000 }: { revision?: string | undefined; stepMs?: number | undefined },
  onRow: (done: number, all: number) => void = () => {},
): Promise<WireReport> {
  const revision = asked === undefined ? newestRevision : revisions.find(({ date }) => date === asked)
  if (!revision)
    throw kitErrors.argumentUnreadable(`the revision ${asked}`, revisions.map(({ date }) => date).join(', '))
  const headers = target.kind === 'url' ? await headersFor(target.url, target.headers) : {}
  const access = target.kind === 'url' ? await accessSubject(target.url, headers) : {}
  const subject = { ...(await subjectOf(snapshot)), ...access }
  const check = new WireCheck(serverFor(target, headers), revision, subject, {
    stepMs,
    openMs: 20_000,
  })
  const sections = new Map<string, { section: string; met: number; broken: number; left: number }>()
  const findings: Finding[] = []
  try {
    for (const [at, row] of requirements.entries()) {
      onRow(at, requirements.length)
      const outcome = await check.check(row)
      const [section = row.section] = row.section.split(': ')
      const sum = sections.get(section) ?? { section, met: 0, broken: 0, left: 0 }
      sections.set(section, sum)
      if (outcome.verdict === 'met') sum.met++
      else if (outcome.verdict === 'not-applicable') sum.left++
      else {
        sum.broken++
        findings.push({
          rule: `wire-${row.id}`,
          group: 'wire',
          severity: 'error',
          location: `the standard, ${row.section}`,
          problem: `expected: ${row.says} Failed: ${outcome.why}`.slice(0, 600),
          fix: 'follow this section of the standard',
        })
      }
    }
  } finally {
    await check.close()
  }
  return {
    revision: revision.date,
    sections: [...sections.values()],
    findings,
  }
}

function serverFor(target: Exclude<Target, { kind: 'tape' }>, headers: Headers): WireServer {
  if (target.kind === 'url') return httpServer(target.url, headers)
  return childServer(commandOf(target))
}
