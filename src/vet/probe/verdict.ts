import { isJexoError, messageOf } from '../../errors.js'
import { codes, RpcError } from '../../protocol/rpc-error.js'
import type { ToolDefinition, ToolResult } from '../../protocol/types.js'
import { textOf } from '../../replay/case-file.js'
import type { Finding } from '../finding.js'
import { issuesOf } from '../schema-issues.js'

/** Problems that generated calls can reveal. */
export const probeRules = [
  { id: 'probe-crash', severity: 'error', about: 'Generated calls that end the server.' },
  { id: 'probe-hang', severity: 'error', about: 'Generated calls that time out.' },
  {
    id: 'probe-protocol-error',
    severity: 'error',
    about: 'Generated calls that return a protocol error instead of a result.',
  },
  { id: 'probe-stack-trace', severity: 'error', about: 'Results that show a stack trace to the model.' },
  {
    id: 'probe-threw',
    severity: 'warning',
    about: 'Generated calls that make the tool throw an unexpected error.',
  },
  {
    id: 'probe-output-issue',
    severity: 'error',
    about: 'Structured results that do not match the output schema.',
  },
  {
    id: 'probe-wrong-taken',
    severity: 'warning',
    about: 'Invalid arguments that are accepted.',
  },
  { id: 'probe-unmade', severity: 'note', about: 'Tools that could not be probed completely.' },
] as const satisfies readonly Pick<Finding & { id: string; about: string }, 'id' | 'severity' | 'about'>[]

export type ProbeRule = (typeof probeRules)[number]['id']

/** The problem with a response; undefined if it is valid. */
export interface Verdict {
  rule: ProbeRule
  what: string
  fix: string
}

/** Outcome of a generated call: a result or an error. */
export type Outcome = { result: ToolResult } | { error: unknown }

const trace =
  /\n\s+at .+:\d+:\d+\)?|Traceback \(most recent call last\)|\n\s*File ".+", line \d+|\tat [\w.$]+\(\w+\.java:\d+\)|goroutine \d+ \[/
const unforeseen =
  /\(error [0-9a-f]{8}\)|\b(TypeError|ReferenceError|RangeError|AttributeError|KeyError|IndexError|NullPointerException)\b|is not a function|[Cc]annot read propert|undefined is not|panic:/

/** Judges the response to a call, given whether its arguments are valid. */
export async function verdictOn(
  tool: ToolDefinition,
  isAllowed: boolean,
  outcome: Outcome,
): Promise<Verdict | undefined> {
  if ('error' in outcome) return verdictOnError(isAllowed, outcome.error)
  const { content, structuredContent, isError } = outcome.result
  const text = textOf(content)
  if (trace.test(text))
    return {
      rule: 'probe-stack-trace',
      what: `it returns a stack trace, which a model cannot use and which reveals details of the machine: ${brief(text)}`,
      fix: 'return a sentence that says what is wrong with the arguments, and log the rest',
    }
  if (isError === true) {
    if (!unforeseen.test(text)) return undefined
    return {
      rule: 'probe-threw',
      what: `it fails with an unexpected error: ${brief(text)}`,
      fix: 'reject such arguments with a message that helps a model, or exclude them in the schema',
    }
  }
  if (!isAllowed)
    return {
      rule: 'probe-wrong-taken',
      what: 'it accepts arguments that its schema forbids, and returns a result without an error',
      fix: 'validate arguments against the schema before using them',
    }
  if (tool.outputSchema === undefined) return undefined
  const issues =
    structuredContent === undefined
      ? ['there is no structured content']
      : await issuesOf(tool.outputSchema, structuredContent)
  if (issues.length === 0) return undefined
  return {
    rule: 'probe-output-issue',
    what: `its result does not match its output schema: ${issues.slice(0, 3).join('; ')}`,
    fix: 'return what the schema declares, or declare what is returned',
  }
}

function verdictOnError(isAllowed: boolean, error: unknown): Verdict | undefined {
  if (error instanceof RpcError) {
    // A server may refuse invalid arguments in either way; the newest revision expects a result.
    if (!isAllowed && error.code === codes.invalidParams) return undefined
    return {
      rule: 'probe-protocol-error',
      what: `it responds with protocol error ${error.code}, which hosts do not show to a model: ${brief(error.message)}`,
      fix: 'return a result that has "isError": true and says what is wrong',
    }
  }
  // A call that reports progress and stops when it is cancelled may take any time.
  if (error instanceof LongWork) return undefined
  if (isJexoError(error) && error.code === 'request-timed-out')
    return {
      rule: 'probe-hang',
      what: `it does not respond: ${brief(error.message)}`,
      fix: 'limit the work, report progress, and stop if the call is cancelled',
    }
  return {
    rule: 'probe-crash',
    what: `the server ends or the connection breaks: ${brief(messageOf(error))}`,
    fix: 'catch the error, and return a message that says what is wrong',
  }
}

/** A call that was running at the limit, had reported progress until then, and ended when it was cancelled. */
export class LongWork extends Error {}

const brief = (text: string): string => {
  const line = text.replace(/\s+/g, ' ').trim()
  return line.length > 220 ? `${line.slice(0, 220)}…` : line
}
