import type { Snapshot } from './snapshot.js'

/** An error breaks some clients, a warning affects some of them, and a note is a suggestion. */
export const severities = ['error', 'warning', 'note'] as const
export type Severity = (typeof severities)[number]

export const groups = ['words', 'schemas', 'size', 'safety', 'wire', 'probe'] as const
export type Group = (typeof groups)[number]

/** A finding of a rule at one location. */
export interface Found {
  /** The place, such as `tool weigh_hive, parameter hive`. */
  location: string
  /** The problem and its consequence. */
  problem: string
  /** The fix. */
  fix: string
  /** Severity, if it differs from the rule's. */
  severity?: Severity
}

/** A rule; its id never changes. */
export interface Rule {
  id: string
  group: Group
  severity: Severity
  /** The problem that it reports, in a sentence. */
  about: string
  check(snapshot: Snapshot): readonly Found[] | Promise<readonly Found[]>
}

export interface Finding extends Found {
  rule: string
  group: Group
  severity: Severity
}
