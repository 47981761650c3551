import { setting } from '../../kit/settings.js'
import { settingsOf } from '../../wrap/http-api/credentials.js'
import type { PlannedOperation, RestPlan, SkippedOperation } from '../../wrap/http-api/operation.js'
import { placeOf } from '../../wrap/http-api/place.js'
import { signatureText } from '../../wrap/kit-writer/signature.js'
import { colours } from '../terminal/output.js'
import { indented } from './blocks.js'

export interface ContextCost {
  readonly tools: number
  readonly catalogue: number
}
/** With more operations than this, only their names are listed, by tag. */
const maxShownWhole = 60

/**
 * A plan of an API as text: the included operations, required settings, skipped operations with reasons, and context
 * costs.
 */
export function restPlanText(plan: RestPlan, source: string, cost: ContextCost): string {
  const { operations, form, warnings } = plan
  const count = `${operations.length} ${operations.length === 1 ? 'operation' : 'operations'} of ${operations.length + plan.skipped.length}`
  const lines = [`${colours.bold(plan.title)}  ${colours.dim(`${source}  ${count}`)}`, '']
  const whole = operations.length <= maxShownWhole
  lines.push(...(whole ? operations.flatMap(operationLines) : byTag(operations)))
  lines.push(colours.bold('Settings'), ...settingLines(plan), '')
  lines.push(...originLines(plan))
  lines.push(...skippedLines(plan.skipped))
  const bare = operations.filter(({ isDescribed }) => !isDescribed)
  if (bare.length > 0)
    lines.push(
      ...note(
        'No description',
        `${listOf(bare.map(({ name }) => name))}: models choose tools by their description; override it in the kit.`,
      ),
    )
  if (warnings.length > 0)
    lines.push(
      ...note(
        'Warnings',
        warnings.slice(0, 6).join('\n') + (warnings.length > 6 ? `\nand ${warnings.length - 6} more` : ''),
      ),
    )
  lines.push(...note('Context cost', costText(plan, cost)))
  if (form === 'catalogue')
    lines.push(
      ...note(
        'Catalogue',
        'This many operations become three tools: search, explain and call. Use --no-catalogue for one tool per operation.',
      ),
    )
  return lines.join('\n').trimEnd()
}

function operationLines(operation: PlannedOperation): string[] {
  const { about, effect, asTemplate, isDescribed } = operation
  const head = asTemplate === undefined ? signatureText(operation.name, operation.input) : asTemplate
  const kind = asTemplate === undefined ? effect : 'template'
  const text = about.split('\n').join(' ')
  return [
    `  ${colours.cyan(head)}  ${colours.dim(kind)}  ${colours.dim(placeOf(operation))}`,
    ...indented(isDescribed ? text : colours.dim(text), 4),
    '',
  ]
}

function byTag(operations: readonly PlannedOperation[]): string[] {
  const tags = new Map<string, string[]>()
  for (const {
    tags: [tag = 'without a tag'],
    name,
  } of operations)
    tags.set(tag, [...(tags.get(tag) ?? []), name])
  return [...tags].flatMap(([tag, names]) => [
    `  ${colours.cyan(tag)}  ${colours.dim(String(names.length))}`,
    ...indented(listOf(names, 12), 4),
    '',
  ])
}

function settingLines({ base, credentials, title }: RestPlan): string[] {
  const declared = {
    [base.setting]: setting({
      about: `Base URL of ${title}`,
      ...(base.url === undefined ? {} : { default: base.url }),
    }),
    ...settingsOf(credentials, title),
  }
  return Object.entries(declared).map(([name, { about, default: otherwise, optional }]) => {
    const need = otherwise !== undefined ? `default ${otherwise}` : optional ? 'optional' : 'required'
    return `  ${colours.cyan(name)}  ${about}  ${colours.dim(need)}`
  })
}

/** All origins that receive requests or credentials, since a description may name others than its own. */
function originLines({ base, operations, credentials }: RestPlan): string[] {
  const originOf = (url: string | undefined) => (url && URL.canParse(url) ? new URL(url).origin : undefined)
  const own = originOf(base.url)
  const elsewhere = new Map<string, number>()
  for (const operation of operations) {
    const origin = originOf(operation.base)
    if (origin !== undefined && origin !== own) elsewhere.set(origin, (elsewhere.get(origin) ?? 0) + 1)
  }
  const tokens = credentials.flatMap((credential) =>
    credential.kind === 'clientCredentials' ? (originOf(credential.tokenUrl) ?? []) : [],
  )
  const others = [...elsewhere].map(
    ([origin, count]) =>
      `  ${colours.cyan(origin)}  ${count} ${count === 1 ? 'operation' : 'operations'}, without credentials  ${colours.dim(`--credential-origin ${origin} sends them`)}`,
  )
  const issuing = [...new Set(tokens)]
    .filter((origin) => origin !== own)
    .map((origin) => `  ${colours.cyan(origin)}  receives the client id and secret, to issue tokens`)
  if (others.length + issuing.length === 0) return []
  return [
    colours.bold('Origins'),
    ...(own ? [`  ${colours.cyan(own)}  with credentials`] : []),
    ...others,
    ...issuing,
    '',
  ]
}

/** Grouped by reason, the most frequent first, with a few names each. */
function skippedLines(skipped: readonly SkippedOperation[]): string[] {
  if (skipped.length === 0) return []
  const reasons = new Map<string, SkippedOperation[]>()
  for (const one of skipped) {
    const key = one.fix === undefined ? one.reason : `${one.reason}; ${one.fix}`
    reasons.set(key, [...(reasons.get(key) ?? []), one])
  }
  const ranked = [...reasons].sort((a, b) => b[1].length - a[1].length)
  return [
    `${colours.bold('Skipped')}  ${colours.dim(String(skipped.length))}`,
    ...ranked.flatMap(([reason, ones]) => [
      ...indented(
        listOf(
          ones.map(({ name }) => name),
          8,
        ),
        2,
      ),
      ...indented(colours.dim(reason), 4),
    ]),
    '',
  ]
}

function costText({ operations, form }: RestPlan, { tools, catalogue }: ContextCost): string {
  const each = `about ${tools.toLocaleString('en')} tokens as ${operations.length} ${operations.length === 1 ? 'tool' : 'tools'}`
  const three = `${catalogue.toLocaleString('en')} as a catalogue of three tools`
  const chosen = form === 'catalogue' ? `${three}; ${each}` : `${each}; ${three}`
  return `${chosen.charAt(0).toUpperCase()}${chosen.slice(1)}. Counted with a common tokenizer; other models differ.`
}

const note = (title: string, text: string) => [colours.bold(title), ...indented(text, 2), '']
const listOf = (names: readonly string[], most = 40) =>
  names.length > most ? `${names.slice(0, most).join(', ')} and ${names.length - most} more` : names.join(', ')
