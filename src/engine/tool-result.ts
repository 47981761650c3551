import { blocksOf } from '../kit/content.js'
import { isOutcome, type Outcome } from '../kit/outcome.js'
import { plainJson } from '../kit/plain-json.js'
import { isNoOutput } from '../kit/schema.js'
import type { Checked } from '../kit/validation.js'
import { isVerbatim } from '../kit/verbatim.js'
import { StructuredResult } from '../protocol/encoding.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import type { ContentBlock, ToolResult } from '../protocol/types.js'
import { failed, failureId } from './failures.js'
import type { ReadyTool } from './part-index.js'
import type { RunningKit } from './running-kit.js'

/** Converts the return value of a tool's function to a result of the standard (Tools, "Structured Content"). */
export function toolResult(
  running: RunningKit,
  ready: ReadyTool,
  returned: unknown,
): ToolResult | Promise<ToolResult> {
  const { part } = ready
  if (isVerbatim(returned)) return returned.result as unknown as ToolResult
  if (isOutcome(returned)) return outcomeResult(running, ready, returned)
  if (isNoOutput(part.output)) return { content: blocksOf(returned) ?? [] }
  if (returned === undefined) {
    return serverFault(
      running,
      part.name,
      'returned undefined: is a "return" missing, or should it say output: noOutput?',
    )
  }
  if (ready.checkOutput) {
    const checked = checkedOutput(ready.checkOutput, returned)
    if (!(checked instanceof Promise)) return structured(running, part.name, checked)
    return checked.then((late) => structured(running, part.name, late))
  }
  const blocks = blocksOf(returned)
  if (blocks) return { content: blocks }
  const plain = plainJson(returned)
  if (!plain.ok) return notJson(running, part.name, plain)
  return { content: [textBlock(typeof plain.value === 'string' ? plain.value : JSON.stringify(plain.value))] }
}

/** Adds the blocks to the structured content, and writes the note to the operator's log. */
async function outcomeResult(running: RunningKit, ready: ReadyTool, outcome: Outcome): Promise<ToolResult> {
  const { part, checkOutput } = ready
  if (outcome.operatorNote !== undefined) running.report('warning', `tool ${part.name}: ${outcome.operatorNote}`)
  if (outcome.structured === undefined) return { content: [...outcome.blocks] }
  const checked = checkOutput
    ? await checkedOutput(checkOutput, outcome.structured)
    : ({ ok: true, value: outcome.structured } as const)
  const result = structured(running, part.name, checked)
  return result.isError ? result : { ...result, content: [...result.content, ...outcome.blocks] }
}

/** Checks the JSON form of the value; a schema that accepts the original value, to transform it, is tried second. */
function checkedOutput(
  check: NonNullable<ReadyTool['checkOutput']>,
  returned: unknown,
): Checked | Promise<Checked> {
  const plain = plainJson(returned)
  if (!plain.ok || plain.value === returned) return check(returned)
  const checked = check(plain.value)
  const orAsReturned = (one: Checked): Checked | Promise<Checked> => {
    if (one.ok) return one
    const again = check(returned)
    return again instanceof Promise ? again.then((late) => (late.ok ? late : one)) : again.ok ? again : one
  }
  return checked instanceof Promise ? checked.then(orAsReturned) : orAsReturned(checked)
}

function structured(running: RunningKit, tool: string, checked: Checked): ToolResult {
  if (!checked.ok || !isObject(checked.value)) {
    const reasons = checked.ok
      ? 'it is not an object'
      : checked.issues.map(({ path, reason }) => `${path.join('.') || 'result'}: ${reason}`).join('; ')
    return serverFault(running, tool, `returned a value that its output schema does not allow: ${reasons}`)
  }
  const plain = plainJson(checked.value)
  if (!plain.ok) return notJson(running, tool, plain)
  return new StructuredResult(plain.value as JsonObject)
}

const notJson = (
  running: RunningKit,
  tool: string,
  { path, problem }: { path: string; problem: string },
): ToolResult => serverFault(running, tool, `returned a value that JSON cannot hold: ${path} ${problem}.`)

function serverFault(running: RunningKit, tool: string, what: string): ToolResult {
  const id = failureId()
  running.report('error', `tool ${tool} (${id}) ${what}`)
  return failed(running, `${tool} ${what} This is a fault of the server, not of the call (error ${id}).`)
}

const textBlock = (text: string): ContentBlock => ({ type: 'text', text })
