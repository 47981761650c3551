import type { ModulePlan, PlannedTool } from '../../wrap/module/plan.js'
import type { Skipped } from '../../wrap/module/reading.js'
import { signatureOf } from '../../wrap/module/write-kit.js'
import { colours } from '../terminal/output.js'
import { indented } from './blocks.js'
import type { ContextCost } from './rest-plan-text.js'

/** A plan as text: included and skipped functions with reasons, guesses, and missing descriptions. */
export function modulePlanText(plan: ModulePlan, source: string, cost: ContextCost): string {
  const { tools, warnings, notes } = plan
  const count = `${tools.length} ${tools.length === 1 ? 'tool' : 'tools'}`
  const lines = [`${colours.bold(source)}  ${colours.dim(count)}`, '']
  lines.push(...(tools.length <= maxShownWhole ? tools.flatMap(toolLines) : [...tools.map(shortLine), '']))
  lines.push(...skippedLines(plan))
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
  if (tools.length > 0) lines.push(...note('Context cost', costText(plan, cost)))
  return lines.join('\n').trimEnd()
}

/** With more tools than this, only signatures are listed. */
const maxShownWhole = 60

/** Skipped exports by reason; methods of classes without an instance are listed separately. */
function skippedLines({ skipped }: ModulePlan): string[] {
  const isMethod = ({ reason }: Skipped) => reason.startsWith('it needs an instance of ')
  return [
    ...section('Methods without an instance', skipped.filter(isMethod)),
    ...section(
      'Skipped',
      skipped.filter((one) => !isMethod(one)),
    ),
  ]
}

function section(title: string, skipped: readonly Skipped[]): string[] {
  if (skipped.length === 0) return []
  const reasons = new Map<string, Skipped[]>()
  for (const one of skipped) {
    const key = `${one.reason}; ${one.fix}`
    reasons.set(key, [...(reasons.get(key) ?? []), one])
  }
  const lines = [...reasons].flatMap(([reason, ones]) => {
    const [first] = ones as [Skipped]
    if (ones.length === 1) return [`  ${first.name}  ${colours.dim(first.where)}`, ...indented(reason, 4)]
    const names = ones.slice(0, 12).map(({ name }) => name)
    const more = ones.length > names.length ? ` and ${ones.length - names.length} more` : ''
    return [...indented(names.join(', ') + more, 2), ...indented(reason, 4)]
  })
  return [`${colours.bold(title)}  ${colours.dim(String(skipped.length))}`, ...lines, '']
}

/** Above this number of tokens, a catalogue is suggested. */
const manyTokens = 20_000

function costText({ tools, form }: ModulePlan, { tools: each, catalogue }: ContextCost): string {
  const count = `${tools.length} ${tools.length === 1 ? 'tool' : 'tools'}`
  const counted = 'Counted with a common tokenizer; other models differ.'
  const asTools = `about ${each.toLocaleString('en')} as ${count}`
  const asCatalogue = `${catalogue.toLocaleString('en')} tokens as a catalogue of three tools (search, explain, call)`
  if (form === 'catalogue') return `About ${asCatalogue}; ${asTools}. ${counted}`
  if (each < manyTokens) return `${count}, about ${each.toLocaleString('en')} tokens. ${counted}`
  return `${colours.yellow(`About ${each.toLocaleString('en')} tokens as ${count}`)}; ${asCatalogue}: use --catalogue, or choose fewer with --only. ${counted}`
}

function toolLines(tool: PlannedTool): string[] {
  const effect = tool.isEffectGuessed ? `${tool.effect}?` : tool.effect
  const about = tool.isDescribed ? tool.about : colours.dim(tool.about)
  return [`  ${colours.cyan(signatureOf(tool))}  ${colours.dim(effect)}`, ...indented(about, 4), '']
}

function shortLine(tool: PlannedTool): string {
  const effect = tool.isEffectGuessed ? `${tool.effect}?` : tool.effect
  return `  ${colours.cyan(signatureOf(tool))}  ${colours.dim(effect)}`
}

const note = (title: string, text: string) => [colours.bold(title), ...indented(text, 2), '']
const listOf = (tools: readonly PlannedTool[]) =>
  tools
    .slice(0, 40)
    .map(({ name }) => name)
    .join(', ') + (tools.length > 40 ? ` and ${tools.length - 40} more` : '')
