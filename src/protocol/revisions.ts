/**
 * All differences between the published revisions of the standard. The rest of the code uses this table, so that a new
 * revision is one more entry, plus its new features.
 */
export interface Revision {
  readonly date: string
  readonly short: string
  /** JSON-RPC batches are supported. */
  readonly batches: boolean
  readonly toolAnnotations: boolean
  readonly audio: boolean
  readonly completionsCapability: boolean
  readonly progressMessage: boolean
  readonly resourceLink: boolean
  readonly structuredOutput: boolean
  /** `title` on definitions and implementation info, `_meta` on definitions and content, `lastModified`. */
  readonly titles: boolean
  readonly completionContext: boolean
  readonly versionHeader: boolean
  readonly elicitation: 'none' | 'form' | 'form and url'
  /** Icons, and `description` and `websiteUrl` on implementation info. */
  readonly icons: boolean
  readonly execution: boolean
  readonly samplingTools: boolean
  readonly tasks: boolean
  /** Streams begin with a priming event, and the server may close them with `retry`. */
  readonly streamPriming: boolean
}

const r1: Revision = {
  date: '2024-11-05',
  short: 'R1',
  batches: false,
  toolAnnotations: false,
  audio: false,
  completionsCapability: false,
  progressMessage: false,
  resourceLink: false,
  structuredOutput: false,
  titles: false,
  completionContext: false,
  versionHeader: false,
  elicitation: 'none',
  icons: false,
  execution: false,
  samplingTools: false,
  tasks: false,
  streamPriming: false,
}
const r2: Revision = {
  ...r1,
  date: '2025-03-26',
  short: 'R2',
  batches: true,
  toolAnnotations: true,
  audio: true,
  completionsCapability: true,
  progressMessage: true,
}
const r3: Revision = {
  ...r2,
  date: '2025-06-18',
  short: 'R3',
  batches: false,
  resourceLink: true,
  structuredOutput: true,
  titles: true,
  completionContext: true,
  versionHeader: true,
  elicitation: 'form',
}
const r4: Revision = {
  ...r3,
  date: '2025-11-25',
  short: 'R4',
  elicitation: 'form and url',
  icons: true,
  execution: true,
  samplingTools: true,
  tasks: true,
  streamPriming: true,
}

/** Newest first; the first is the one that is offered. */
export const revisions: readonly Revision[] = Object.freeze([r4, r3, r2, r1].map((entry) => Object.freeze(entry)))
export const newestRevision: Revision = r4
/** The assumed revision of an HTTP request without a version header and session (Transports, "Protocol Version Header"). */
export const assumedRevision: Revision = r2

/** The revision of a date string such as `2025-11-25`, or of a short name such as `R4`. */
export function findRevision(name: string): Revision | undefined {
  return revisions.find((entry) => entry.date === name || entry.short === name)
}
