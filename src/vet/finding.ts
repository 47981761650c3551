import type { Snapshot } from './snapshot.js'

/** An error is a fault for somebody; a warning will be one for some; a note is worth a thought. */
export const severities = ['error', 'warning', 'note'] as const
export type Severity = (typeof severities)[number]

export const groups = ['words', 'schemas', 'size', 'safety', 'wire', 'probe'] as const
export type Group = (typeof groups)[number]

/** What a rule has found in one place. */
export interface Found {
  /** The place, such as `tool weigh_hive, parameter hive`. */
  location: string
  /** What is there, and why it matters. */
  problem: string
  /** What to do. */
  fix: string
  /** Where it is more or less grave than the rule says. */
  severity?: Severity
}

/** One thing that is looked for; its id stays the same for good. */
export interface Rule {
  id: string
  group: Group
  severity: Severity
  /** What it looks for, in a sentence. */
  about: string
  check(surface: Snapshot): readonly Found[] | Promise<readonly Found[]>
}

export interface Finding extends Found {
  rule: string
  group: Group
  severity: Severity
}
