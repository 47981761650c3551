import { blocksOf } from '../kit/content.js'
import { isOutcome, type Outcome } from '../kit/outcome.js'
import { isNoOutput } from '../kit/schema.js'
import type { Checked } from '../kit/validation.js'
import { isObject } from '../protocol/messages.js'
import type { ContentBlock, ToolResult } from '../protocol/types.js'
import { failed, failureId } from './failures.js'
import type { ReadyTool } from './part-index.js'
import type { RunningKit } from './running-kit.js'

/** Turns what a tool's function returned into the standard's result (Tools, "Structured Content"). */
export function toolResult(
  running: RunningKit,
  ready: ReadyTool,
  returned: unknown,
): ToolResult | Promise<ToolResult> {
  const { part } = ready
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
    const checked = ready.checkOutput(returned)
    if (!(checked instanceof Promise)) return structured(running, part.name, checked)
    return checked.then((late) => structured(running, part.name, late))
  }
  return { content: blocksOf(returned) ?? [{ type: 'text', text: textOf(returned) }] }
}

/** Blocks beside the structured content, and what the operator has to know. */
async function outcomeResult(running: RunningKit, ready: ReadyTool, outcome: Outcome): Promise<ToolResult> {
  const { part, checkOutput } = ready
  if (outcome.operatorNote !== undefined) running.report('warning', `tool ${part.name}: ${outcome.operatorNote}`)
  if (outcome.structured === undefined) return { content: [...outcome.blocks] }
  const checked = checkOutput
    ? await checkOutput(outcome.structured)
    : ({ ok: true, value: outcome.structured } as const)
  const result = structured(running, part.name, checked)
  return result.isError ? result : { ...result, content: [...result.content, ...outcome.blocks] }
}

function structured(running: RunningKit, tool: string, checked: Checked): ToolResult {
  if (!checked.ok || !isObject(checked.value)) {
    const reasons = checked.ok
      ? 'it is not an object'
      : checked.issues.map(({ path, reason }) => `${path.join('.') || 'result'}: ${reason}`).join('; ')
    return serverFault(running, tool, `returned what its output schema does not allow: ${reasons}`)
  }
  // Both go out by JSON.stringify of the same value, so that structured content and text agree to the letter.
  return { content: [textBlock(JSON.stringify(checked.value))], structuredContent: checked.value }
}

function serverFault(running: RunningKit, tool: string, what: string): ToolResult {
  const id = failureId()
  running.report('error', `tool ${tool} (${id}) ${what}`)
  return failed(running, `${tool} ${what} This is a fault of the server, not of the call (error ${id}).`)
}

const textBlock = (text: string): ContentBlock => ({ type: 'text', text })

const textOf = (value: unknown): string =>
  typeof value === 'string' ? value : (JSON.stringify(value) ?? String(value))
