import type { ModulePlan, PlannedTool } from '../../wrap/module/plan.js'
import { signatureOf } from '../../wrap/module/write-kit.js'
import { colours, columns, wrapped } from '../terminal/output.js'

/** A plan as a person reads it: what is taken, what is left out and why, what is guessed or missing. */
export function modulePlanText(plan: ModulePlan, source: string, tokens: number): string {
  const { tools, skipped, warnings, notes } = plan
  const count = `${tools.length} ${tools.length === 1 ? 'tool' : 'tools'}`
  const lines = [`${colours.bold(source)}  ${colours.dim(count)}`, '']
  for (const tool of tools) lines.push(...toolLines(tool))
  if (skipped.length > 0) {
    lines.push(colours.bold('Skipped'))
    for (const { name, where, reason, fix } of skipped)
      lines.push(`  ${name}  ${colours.dim(where)}`, ...indented(`${reason}; ${fix}`, 4))
    lines.push('')
  }
  const guessed = tools.filter(({ isEffectGuessed }) => isEffectGuessed)
  if (guessed.length > 0) {
    lines.push(
      ...note(
        'Guessed',
        `the effect of ${listOf(guessed)} (marked "?"); declare it with @effect read, add, change or remove.`,
      ),
    )
  }
  const bare = tools.filter(({ isDescribed }) => !isDescribed)
  if (bare.length > 0) {
    lines.push(
      ...note(
        'No description',
        `${listOf(bare)}: models choose tools by their description; write a doc comment, or override it in the kit.`,
      ),
    )
  }
  if (notes.length > 0) {
    lines.push(
      ...note(
        'Notes',
        notes.slice(0, 12).join('\n') + (notes.length > 12 ? `\nand ${notes.length - 12} more` : ''),
      ),
    )
  }
  if (warnings.length > 0) {
    lines.push(colours.yellow('Type errors, which may affect the result'))
    for (const warning of warnings.slice(0, 8)) lines.push(...indented(warning, 2))
    if (warnings.length > 8) lines.push(`  and ${warnings.length - 8} more`)
    lines.push('')
  }
  const cost = `${count}, about ${tokens.toLocaleString('en')} tokens. Counted with a common tokenizer; other models differ.`
  if (tools.length > 0) lines.push(...note('Context cost', cost))
  return lines.join('\n').trimEnd()
}

function toolLines(tool: PlannedTool): string[] {
  const effect = tool.isEffectGuessed ? `${tool.effect}?` : tool.effect
  const about = tool.isDescribed ? tool.about : colours.dim(tool.about)
  return [`  ${colours.cyan(signatureOf(tool))}  ${colours.dim(effect)}`, ...indented(about, 4), '']
}

const note = (title: string, text: string) => [colours.bold(title), ...indented(text, 2), '']
const listOf = (tools: readonly PlannedTool[]) => tools.map(({ name }) => name).join(', ')

const indented = (text: string, indent: number): string[] =>
  wrapped(text, columns() - indent).map((line) => (line === '' ? '' : ' '.repeat(indent) + line))
