import { signatureText } from '../../wrap/kit-writer/signature.js'
import type { ProcessPlan } from '../../wrap/process/plan.js'
import { colours } from '../terminal/output.js'
import { counted, heading, indented } from './blocks.js'

/** The plan of a program as text. */
export function processPlanText({ program, about, tools }: ProcessPlan, tokens: number): string {
  const lines = [heading(program, counted(tools.length, 'tool')), ...(about ? indented(about, 2) : []), '']
  for (const { as, definition } of tools)
    lines.push(
      `  ${colours.cyan(signatureText(as, definition.input ?? {}))}  ${colours.dim(definition.effect ?? 'change')}`,
      ...indented(definition.about, 4),
      '',
    )
  lines.push(
    colours.bold('Context cost'),
    `  ${counted(tools.length, 'tool')}, about ${tokens.toLocaleString('en')} tokens.`,
  )
  return lines.join('\n')
}
